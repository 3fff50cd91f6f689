/** A small layer document for tests. */
import type { Document, Layer, Sheet } from "../api/types";

const common = { visible: true, locked: false, strength: 1, blend: "normal", channels: {}, mask: null };

export const paint = (id: string, more: object = {}): Layer => ({ ...common, id, name: id.toUpperCase(), kind: "paint", ...more }) as Layer;
export const fill = (id: string, more: object = {}): Layer => ({ ...common, id, name: id.toUpperCase(), kind: "fill", ...more }) as Layer;
export const group = (id: string, layers: Layer[], more: object = {}): Layer => ({ ...common, id, name: id.toUpperCase(), kind: "group", layers, ...more }) as Layer;

export const sheetOf = (...layers: Layer[]): Sheet => ({ id: "body", name: "Body", plan: 0, resolution: 1024, layers, normal_map: false }) as Sheet;

export const documentOf = (...layers: Layer[]): Document =>
  ({
    channels: [
      { id: "base_color", name: "Base colour", kind: "colour", start: [0.5, 0.5, 0.5] },
      { id: "roughness", name: "Roughness", kind: "data", start: [0.5] },
      { id: "height", name: "Height", kind: "height", start: [0] },
    ],
    sheets: [sheetOf(...layers)],
    settings: {},
    hidden_parts: [],
  }) as unknown as Document;
