/** A small layer document for tests. */
import type { Document, Layer, Registries, Sheet } from "../api/types";

const common = { visible: true, locked: false, strength: 1, blend: "normal", channels: {}, mask: null };

export const paint = (id: string, more: object = {}): Layer => ({ ...common, id, name: id.toUpperCase(), kind: "paint", ...more }) as Layer;
export const fill = (id: string, more: object = {}): Layer => ({ ...common, id, name: id.toUpperCase(), kind: "fill", ...more }) as Layer;
export const group = (id: string, layers: Layer[], more: object = {}): Layer =>
  ({ ...common, id, name: id.toUpperCase(), kind: "group", layers, ...more }) as Layer;

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

/** What the server says of its kinds, as far as components ask. */
export const registries = {
  layer_kinds: [
    { id: "paint", name: "Paint", hint: "Strokes" },
    { id: "adjust", name: "Adjust", hint: "Changes" },
  ],
  blend_modes: [
    { id: "normal", name: "Normal", kinds: ["colour", "data", "height"] },
    { id: "multiply", name: "Multiply", kinds: ["colour", "data"] },
  ],
  stack: {
    adjustments: [{ id: "levels", name: "Levels", hint: "Black, white and middle" }],
    sources: [
      { id: "painted", name: "Painted", hint: "Strokes", group: "hand", controls: [], needs: null, waits: "" },
      {
        id: "noise",
        name: "Noise",
        hint: "Clouds and grain",
        group: "pattern",
        needs: null,
        waits: "",
        controls: [
          { id: "contrast", name: "Contrast", hint: "How hard", kind: "share", low: 0, high: 1, step: 0.01, choices: [], log: false, unit: "" },
        ],
      },
    ],
    shapers: [{ id: "invert", name: "Invert", hint: "Turned round", group: "shaper", controls: [], needs: null, waits: "" }],
    contents: [],
    first_steps: { noise: { kind: "noise", contrast: 0.5 }, invert: { kind: "invert" }, painted: { kind: "painted", base: 0 } },
    first_contents: {},
    first_adjusts: {},
    patterns: [],
  },
  bake: { maps: [] },
  tools: [{ id: "brush", name: "Brush", verb: "Painting into", key: "b", stroke: "paint" }],
  tool_settings: {},
} as unknown as Registries;
