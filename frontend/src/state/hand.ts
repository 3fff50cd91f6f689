/** What the hand holds: tool, brush, colours and target, and what a stroke lays with them. */
import { api } from "../api/client";
import type { Brush, Paint, Target, ToolKind } from "../api/types";
import { attempt } from "./attempt";
import { sync } from "./following";
import { findSheet, firstTarget } from "./layers";
import { theStage } from "./stage";
import { START, workshop } from "./workshop";
import type { RGB, WorkshopState } from "./workshop";

const { getState: get, setState: set } = workshop;

export function setBrush(change: Partial<Brush>): void {
  set({ brush: { ...get().brush, ...change } });
}

/** Take another brush; the one before is a key away. */
export function takeBrush(change: Partial<Brush>): void {
  set({ lastBrush: get().brush, brush: { ...get().brush, ...change } });
}

/** What the server says of the tool in hand. */
export function toolKind(s: Pick<WorkshopState, "tool" | "registries"> = get()): ToolKind | undefined {
  return s.registries?.tools.find((t) => t.id === s.tool);
}

/** What a stroke or flood lays now. */
export function currentPaint(erase: boolean, otherHeld = false): Paint {
  const s = get();
  const pick = s.other !== otherHeld ? 1 : 0;
  const laid = (slot: 0 | 1): Record<string, number[]> => {
    const values: Record<string, number[]> = {};
    for (const id of s.target?.channels ?? []) {
      const channel = s.project?.document.channels.find((c) => c.id === id);
      if (channel) values[id] = id === "base_color" ? [...s.colours[slot]] : (s.values[id] ?? [...channel.start]);
    }
    if (s.target?.mesh_map) {
      const kind = s.registries?.bake.maps.find((m) => m.id === s.target?.mesh_map);
      values[`map:${s.target.mesh_map}`] = kind?.components === 3 ? [...s.colours[slot]] : [s.maskValues[slot]];
    }
    return values;
  };
  const kind = toolKind(s);
  const reads = !erase && kind?.stroke != null && kind.stroke !== "paint";
  return {
    values: laid(pick),
    second: laid(pick ? 0 : 1),
    mask_value: s.maskValues[pick],
    second_mask: s.maskValues[pick ? 0 : 1],
    erase,
    tool: reads ? s.tool : "paint",
    reach: s.softenReach,
    reads: s.target?.mesh_map ? "all" : reads ? s.reads : "all",
    tone: s.tone,
    smear: s.smear,
    blend: reads || erase || s.target?.mesh_map || s.target?.mask ? "normal" : s.blend,
    confine: s.confined ? s.confine : START.confine,
    clone: reads && s.tool === "clone" ? s.clone : null,
    settings: reads ? (s.toolSettings[s.tool] ?? {}) : {},
  } as Paint;
}

export function chooseTarget(target: Target | null): void {
  const order = get().project?.document.channels.map((c) => c.id) ?? [];
  set({ target: target && { ...target, channels: order.filter((id) => target.channels.includes(id)) } });
}

export function swapColours(): void {
  const { target, colours, maskValues } = get();
  if (target?.mask || target?.mesh_map) set({ maskValues: [maskValues[1], maskValues[0]] });
  else set({ colours: [colours[1], colours[0]] });
}

export function chooseSheet(id: string): void {
  const { project, target } = get();
  const sheet = project && findSheet(project.document, id);
  if (!sheet) return;
  set({ sheet: id, target: target?.sheet === id ? target : target?.mesh_map ? { ...target, sheet: id } : firstTarget(sheet) });
  theStage()?.refit();
  void sync();
}

/** Take colours and values from what is painted under a pointer. */
export async function pickAt(at: Parameters<typeof api.probe>[1]): Promise<void> {
  const { uid, target, colours, values, other, maskValues } = get();
  if (!uid) return;
  const found = await attempt(() => api.probe(uid, { ...at, values: true }));
  if (!found?.values) return;
  const slot = other ? 1 : 0;
  const rgb = found.values.base_color as RGB | undefined;
  if (target?.mask && rgb) {
    const grey = 0.2126 * rgb[0] + 0.7152 * rgb[1] + 0.0722 * rgb[2];
    set({ maskValues: slot ? [maskValues[0], grey] : [grey, maskValues[1]] });
    return;
  }
  const next = { ...values };
  for (const [id, v] of Object.entries(found.values)) if (id !== "base_color" && target?.channels.includes(id)) next[id] = v;
  set({ values: next, colours: rgb ? (slot ? [colours[0], rgb] : [rgb, colours[1]]) : colours });
}
