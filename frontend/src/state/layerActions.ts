/** Edits the layer grid makes. */
import { api } from "../api/client";
import type { AdjustLayer, ChannelUse, Edit, Layer, Sheet } from "../api/types";
import { attempt } from "./attempt";
import { edit } from "./edits";
import { refresh } from "./following";
import { chooseTarget } from "./hand";
import { BLANK, asGroup, findLayer, layerEdit, findSheet, freshId, newUses, partIn, rows } from "./layers";
import { say } from "./messages";
import { workshop } from "./workshop";

const get = workshop.getState;

function here(): Sheet | null {
  const { project, sheet } = get();
  return (project && sheet && findSheet(project.document, sheet)) || null;
}

/** A new paint layer from a picture file, in the target's first channel or base colour. */
export async function pictureLayer(file: File): Promise<void> {
  const { uid, sheet, target } = workshop.getState();
  if (!uid || !sheet) return;
  const channel = target?.channels[0] ?? "base_color";
  const form = new FormData();
  form.append("file", file, file.name);
  form.append("channel", channel);
  try {
    const { layer } = await api.pictureLayer(uid, sheet, form);
    await refresh();
    chooseTarget({ sheet, layer, channels: [channel], mask: null, mesh_map: null });
  } catch (error) {
    say((error as Error).message, true);
  }
}

/** A new layer goes in front of the target layer, in the same group. */
export async function addLayer(kind: Layer["kind"], adjustment = "levels"): Promise<void> {
  const sheet = here();
  const { project, target, colours, registries } = get();
  if (!sheet || !project) return;
  const id = freshId(sheet);
  const row = rows(sheet).find((r) => r.layer.id === target?.layer);
  const uses = newUses(project.document.channels);
  const count = rows(sheet).filter((r) => r.layer.kind === kind).length + 1;
  const common = { id, visible: true, locked: false, strength: 1, blend: "normal", mask: null };
  let layer: Layer;
  if (kind === "fill") {
    const colour: ChannelUse = { ...BLANK, value: [...colours[0]] };
    layer = { ...common, kind, name: `Fill ${count}`, channels: { base_color: colour } };
  } else if (kind === "adjust") {
    const adjust = registries?.stack.first_adjustments[adjustment] as AdjustLayer["adjust"] | undefined;
    if (!adjust) return;
    const kindName = registries?.stack.adjustments.find((k) => k.id === adjustment)?.name ?? "Adjustment";
    layer = {
      ...common,
      kind,
      name: kindName,
      adjust,
      channels: { base_color: BLANK },
      components: ["r", "g", "b"],
      reach: "group",
      ranges: [],
      rest: false,
    };
  } else if (kind === "group") {
    layer = { ...common, kind, name: `Group ${count}`, channels: uses, layers: [] };
  } else {
    layer = { ...common, kind, name: `Paint ${count}`, channels: uses };
  }
  const change = { edit: "add-layer", sheet: sheet.id, layer, into: row?.parent ?? null, index: row?.index ?? 0 } as Edit;
  if (await edit(`Add ${layer.name}`, change)) {
    const channels = kind === "paint" ? (target?.channels.length ? target.channels : ["base_color"]) : [];
    chooseTarget({ sheet: sheet.id, layer: id, channels, mask: null, mesh_map: null });
  }
}

/** Put the target layer into a new group of its own. */
export async function groupLayer(layerId: string): Promise<void> {
  const sheet = here();
  const { project } = get();
  const row = sheet && rows(sheet).find((r) => r.layer.id === layerId);
  if (!sheet || !row || !project) return;
  const id = freshId(sheet);
  const group = {
    id,
    kind: "group",
    name: `${row.layer.name} group`.slice(0, 80),
    visible: true,
    locked: false,
    strength: 1,
    blend: "normal",
    mask: null,
    channels: newUses(project.document.channels),
    layers: [],
  };
  const edits = [
    { edit: "add-layer", sheet: sheet.id, layer: group, into: row.parent, index: row.index },
    { edit: "move-layer", sheet: sheet.id, layer: layerId, into: id, index: 0 },
  ];
  await edit(`Group ${row.layer.name}`, { edit: "batch", edits } as Edit);
}

/** Make one paint layer of a layer and the one under it. */
export async function mergeDown(layerId: string): Promise<void> {
  const sheet = here();
  const { uid, project } = get();
  if (!sheet || !uid || !project) return;
  const made = await attempt(() => api.mergeDown(uid, project.revision, sheet.id, layerId));
  if (!made) return;
  await refresh();
  chooseTarget({ sheet: sheet.id, layer: made, channels: ["base_color"], mask: null, mesh_map: null });
}

export async function removeLayer(layerId: string): Promise<void> {
  const sheet = here();
  const layer = findLayer(sheet ?? undefined, layerId);
  if (sheet && layer) await edit(`Delete ${layer.name}`, { edit: "remove-layer", sheet: sheet.id, layer: layerId });
}

/** Show one layer alone, or all again. */
export async function soloLayer(layer: Layer): Promise<void> {
  const sheet = here();
  if (!sheet) return;
  const solo = sheet.solo === layer.id ? null : layer.id;
  await edit(solo ? `Show only ${layer.name}` : "Show all layers", { edit: "set-sheet", sheet: sheet.id, values: { solo } });
}

export async function setLayer(layer: Layer, values: Partial<Layer>, label: string): Promise<void> {
  const sheet = here();
  if (sheet) await edit(label, layerEdit(sheet.id, layer.id, values as Record<string, unknown>));
}

export async function setPart(layer: Layer, channel: string, change: Partial<ChannelUse>, label: string): Promise<void> {
  await setLayer(layer, { channels: { ...layer.channels, [channel]: { ...partIn(layer, channel), ...change } } }, label);
}

/** Move a layer in front of another row, or into a group. */
export async function moveLayer(layerId: string, before: string | null, into: string | null): Promise<void> {
  const sheet = here();
  if (!sheet || layerId === before) return;
  const list = rows(sheet);
  const moving = list.find((r) => r.layer.id === layerId);
  if (!moving) return;
  let parent = into;
  let index = 0;
  if (before) {
    const goal = list.find((r) => r.layer.id === before);
    if (!goal) return;
    parent = goal.parent;
    index = goal.index;
    // Indices count after the layer was taken out.
    if (moving.parent === parent && moving.index < index) index -= 1;
  } else if (into === null) {
    index = sheet.layers.length - (moving.parent === null ? 1 : 0);
  }
  await edit(`Move ${moving.layer.name}`, { edit: "move-layer", sheet: sheet.id, layer: layerId, into: parent, index });
}

/** One place forward (−1) or back (+1) among its siblings. */
export async function nudgeLayer(layerId: string, by: number): Promise<void> {
  const sheet = here();
  const row = sheet && rows(sheet).find((r) => r.layer.id === layerId);
  if (!sheet || !row) return;
  const siblings = row.parent ? (asGroup(findLayer(sheet, row.parent))?.layers.length ?? 0) : sheet.layers.length;
  const index = row.index + by;
  if (index >= 0 && index < siblings)
    await edit(`Move ${row.layer.name}`, { edit: "move-layer", sheet: sheet.id, layer: layerId, into: row.parent, index });
}
