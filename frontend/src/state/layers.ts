/** Looking things up in the layer document. */
import type { Edit, Channel, ChannelUse, Document, GroupLayer, Layer, Sheet, Target } from "../api/types";

export interface Row {
  layer: Layer;
  depth: number;
  parent: string | null;
  index: number;
}

/** Every layer front first, as the grid lists them; closed groups hide what is inside. */
export function rows(sheet: Sheet, closed: ReadonlySet<string> = new Set()): Row[] {
  const out: Row[] = [];
  const visit = (layers: readonly Layer[], depth: number, parent: string | null): void => {
    layers.forEach((layer, index) => {
      out.push({ layer, depth, parent, index });
      if (layer.kind === "group" && !closed.has(layer.id)) visit(layer.layers, depth + 1, layer.id);
    });
  };
  visit(sheet.layers, 0, null);
  return out;
}

export function findLayer(sheet: Sheet | undefined, id: string): Layer | undefined {
  return sheet && rows(sheet).find((r) => r.layer.id === id)?.layer;
}

export function findSheet(document: Document, id: string): Sheet | undefined {
  return document.sheets.find((s) => s.id === id);
}

/** An id no layer of the sheet has. */
export function freshId(sheet: Sheet): string {
  const taken = new Set(rows(sheet).map((r) => r.layer.id));
  let n = taken.size + 1;
  while (taken.has(`l${n}`)) n += 1;
  return `l${n}`;
}

/** A change of some fields of a layer; it goes to the variant that shows. */
export function layerEdit(sheet: string, layer: string, values: Record<string, unknown>): Edit {
  return { edit: "set-layer", sheet, layer, values, variant: null };
}

export const BLANK: ChannelUse = { on: true, strength: 1, blend: null, value: null, content: null, role: null, relief: 1 };

export function partIn(layer: Layer, channel: string): ChannelUse {
  return layer.channels[channel] ?? { ...BLANK, on: layer.kind !== "fill" && layer.kind !== "adjust" };
}

/** A new layer's channels: height adds to the relief below. */
export function newUses(channels: readonly Channel[]): Record<string, ChannelUse> {
  return Object.fromEntries(channels.map((c) => [c.id, { ...BLANK, blend: c.kind === "height" ? "height-add" : null }]));
}

/** Sheets of texels; vertex paint is the other kind. */
export function textured(document: Document | null | undefined): Sheet[] {
  return document?.sheets.filter((s) => s.of !== "vertices") ?? [];
}

/** Layers that solo lets show: all without it, else the layer, what it holds, and the groups around it. */
export function shownIds(sheet: Sheet): ReadonlySet<string> {
  const list = rows(sheet);
  const all = new Set(list.map((r) => r.layer.id));
  const solo = sheet.solo;
  if (!solo || !all.has(solo)) return all;
  const parent = new Map(list.map((r) => [r.layer.id, r.parent]));
  const above = (id: string): string[] => {
    const up = parent.get(id);
    return up ? [up, ...above(up)] : [];
  };
  return new Set([solo, ...above(solo), ...[...all].filter((id) => above(id).includes(solo))]);
}

/** What is wrong with a target, or null when the next stroke may land there. */
export function targetTrouble(document: Document, target: Target | null): string | null {
  if (!target) return "No target: choose a cell in the layer grid";
  const sheet = findSheet(document, target.sheet);
  if (target.mesh_map) {
    const entry = sheet?.mesh_maps.find((m) => m.id === target.mesh_map);
    if (!entry) return "This map is not baked yet: bake it first";
    return entry.touch_up ? null : "The touch-up is switched off";
  }
  const row = sheet && rows(sheet).find((r) => r.layer.id === target.layer);
  if (!sheet || !row) return "The target layer is gone: choose a cell in the layer grid";
  const chain: Layer[] = [row.layer];
  for (let up = row.parent; up;) {
    const id: string = up;
    const above = rows(sheet).find((r) => r.layer.id === id);
    if (!above) break;
    chain.push(above.layer);
    up = above.parent;
  }
  const locked = chain.find((l) => l.locked);
  if (locked) return `${locked.name} is locked`;
  const hidden = chain.find((l) => !l.visible);
  if (hidden) return `${hidden.name} is hidden`;
  if (!shownIds(sheet).has(target.layer)) return "Another layer is shown alone";
  if (target.mask) return null;
  if (row.layer.kind !== "paint")
    return `${row.layer.name} is ${row.layer.kind === "adjust" ? "an adjustment" : `a ${row.layer.kind}`} layer: choose its mask, or a paint layer`;
  return target.channels.length ? null : "No channel chosen";
}

/** A target that makes sense to begin with: the front paint layer's base colour. */
export function firstTarget(sheet: Sheet): Target | null {
  const row = rows(sheet).find((r) => r.layer.kind === "paint" && r.layer.visible && !r.layer.locked);
  return row ? { sheet: sheet.id, layer: row.layer.id, channels: ["base_color"], mask: null, mesh_map: null } : null;
}

export function asGroup(layer: Layer | undefined): GroupLayer | null {
  return layer?.kind === "group" ? layer : null;
}
