/** Adjustments: the range that is open, what it catches, colours picked for it, and values beneath it. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { AdjustLayer, AdjustPreset, Camera, PickedRange } from "../api/types";
import { attempt } from "./attempt";
import { accept, refresh } from "./following";
import { chooseTarget } from "./hand";
import { setLayer } from "./layerActions";
import { findLayer, findSheet, layerEdit } from "./layers";
import { forgetTrial, tryEdit } from "./masks";
import { say } from "./messages";
import { theStage } from "./stage";
import { workshop } from "./workshop";

/** What the next press or drag on the model gives a colour to: a new range, one that is there, or a control. */
export type Picking = { what: "new" } | { what: "again"; range: string } | { what: "control"; control: string; range: string | null };
export type Scope = "seen" | "picked" | "all";

interface AdjustState {
  /** The range whose settings are open; null: those of everything else. */
  range: string | null;
  /** Whether the views show what it catches. */
  catching: boolean;
  picking: Picking | null;
  scope: Scope;
  bins: number[][] | null;
  presets: AdjustPreset[] | null;
}

export const adjusting = createStore<AdjustState>(() => ({ range: null, catching: false, picking: null, scope: "seen", bins: null, presets: null }));
const { getState: get, setState: set } = adjusting;

/** The adjustment that is the target. */
export function adjustment(): { sheet: string; layer: AdjustLayer } | null {
  const { target, project } = workshop.getState();
  const home = target && project ? findSheet(project.document, target.sheet) : undefined;
  const layer = target ? findLayer(home, target.layer) : undefined;
  return home && layer?.kind === "adjust" ? { sheet: home.id, layer } : null;
}

export type Changes = Partial<Pick<AdjustLayer, "adjust" | "ranges" | "rest" | "components" | "reach">>;

export function tryAdjust(changes: Changes): void {
  const here = adjustment();
  if (here) tryEdit(here.sheet, layerEdit(here.sheet, here.layer.id, changes as Record<string, unknown>));
}

export async function takeAdjust(changes: Changes, label: string): Promise<void> {
  const here = adjustment();
  if (!here) return;
  forgetTrial();
  await setLayer(here.layer, changes as Partial<AdjustLayer>, `${label}: ${here.layer.name}`);
}

// -- ranges ---------------------------------------------------------------------------------------------------------------------

export function openRange(range: string | null): void {
  set({ range });
  showCatch(range !== null && get().catching);
}

/** Show what the open range catches over the views, or stop. */
export function showCatch(on: boolean): void {
  const here = adjustment();
  const { range } = get();
  set({ catching: on });
  if (on && here && range) workshop.setState({ over: `catch:${here.layer.id}:${range}`, maskSheet: here.sheet });
  else if (workshop.getState().over?.startsWith("catch:")) workshop.setState({ over: null });
}

function freshRange(layer: AdjustLayer): string {
  const taken = new Set((layer.ranges ?? []).map((r) => r.id));
  let n = 1;
  while (taken.has(`r${n}`)) n += 1;
  return `r${n}`;
}

export function changeRange(range: PickedRange): PickedRange[] {
  return (adjustment()?.layer.ranges ?? []).map((r) => (r.id === range.id ? range : r));
}

export async function removeRange(id: string): Promise<void> {
  const here = adjustment();
  if (!here) return;
  openRange(null);
  await takeAdjust({ ranges: (here.layer.ranges ?? []).filter((r) => r.id !== id) }, "Delete a range");
}

/** The colour at a press, or the mean along a drag, beneath the adjustment. */
export async function pickedAlong(sheet: string, camera: Camera | null, points: [number, number][]): Promise<void> {
  const { picking } = get();
  const here = adjustment();
  const { uid } = workshop.getState();
  if (!picking || !here || !uid) return;
  if (sheet !== here.sheet) return say("That is another sheet than the adjustment's. Pick on the sheet that it changes.", true);
  const colour = await attempt(() => api.colourBeneath(uid, here.sheet, here.layer.id, camera, points));
  if (!colour) return;
  const ranges = here.layer.ranges ?? [];
  if (picking.what === "new") {
    const id = freshRange(here.layer);
    const made: PickedRange = {
      id,
      name: "",
      on: true,
      colour,
      tolerance: 0.08,
      softness: 0.08,
      invert: false,
      adjust: here.layer.adjust as PickedRange["adjust"],
    };
    // The first range takes the settings along: what was set for everything is now set for it.
    const first = ranges.length === 0;
    const plain = workshop.getState().registries?.stack.first_adjustments[here.layer.adjust.kind] as AdjustLayer["adjust"] | undefined;
    set({ picking: null, range: id });
    await takeAdjust({ ranges: [...ranges, made], ...(first && plain ? { adjust: plain } : {}) }, "Pick a range");
    showCatch(true);
  } else if (picking.what === "again") {
    set({ picking: null });
    await takeAdjust({ ranges: ranges.map((r) => (r.id === picking.range ? { ...r, colour } : r)) }, "Pick again");
  } else {
    set({ picking: null });
    const put = (adjust: AdjustLayer["adjust"]) => ({ ...adjust, [picking.control]: colour }) as AdjustLayer["adjust"];
    await takeAdjust(
      picking.range
        ? { ranges: ranges.map((r) => (r.id === picking.range ? ({ ...r, adjust: put(r.adjust as AdjustLayer["adjust"]) } as PickedRange) : r)) }
        : { adjust: put(here.layer.adjust) },
      "Pick a colour",
    );
  }
}

export async function catchToMask(range: string): Promise<void> {
  const here = adjustment();
  const { uid, project } = workshop.getState();
  if (!here || !uid || !project) return;
  const layer = await attempt(() => api.catchMask(uid, project.revision, here.sheet, here.layer.id, range));
  if (!layer) return;
  showCatch(false);
  await refresh();
  chooseTarget({ sheet: here.sheet, layer, channels: ["base_color"], mask: null, mesh_map: null });
  say("A paint layer with that mask is in front of the adjustment, and it is the target.");
}

export async function catchToGroup(range: string): Promise<void> {
  const here = adjustment();
  const { uid, project } = workshop.getState();
  if (!here || !uid || !project) return;
  const answer = await attempt(() => api.catchGroup(uid, project.revision, here.sheet, here.layer.id, range));
  if (!answer) return;
  accept(answer);
  say(`Kept as the face group ${answer.document.face_sets?.at(-1)?.name ?? ""}.`);
}

/** Strokes go where the range's colour lies. */
export function catchToConfine(range: PickedRange): void {
  const here = adjustment();
  const { confine } = workshop.getState();
  if (!here) return;
  workshop.setState({ confined: true, confine: { ...confine, caught: `${here.layer.id}:${range.id}` } });
  say("Strokes keep to what that range catches, until it is let go of under Confine.");
}

// -- values beneath -------------------------------------------------------------------------------------------------------------

let asked = 0;

/** Count the values beneath the adjustment, for the curve or levels over them. */
export async function countBeneath(): Promise<void> {
  const here = adjustment();
  const { uid, picked } = workshop.getState();
  const channel = Object.entries(here?.layer.channels ?? {}).find(([, use]) => use.on)?.[0];
  if (!here || !uid || !channel) return set({ bins: null });
  const { scope } = get();
  asked += 1;
  const mine = asked;
  const camera = scope === "seen" ? (theStage()?.seenFrom() ?? null) : null;
  const picks = scope === "picked" ? picked : null;
  const bins = await api.histogram(uid, here.sheet, here.layer.id, channel, camera, picks).catch(() => null);
  if (mine === asked) set({ bins });
}

export function countOf(scope: Scope): void {
  set({ scope });
  void countBeneath();
}

/** Measure what a match takes on, once. */
export async function matchLike(goal: { goal_layer: string } | { goal_picture: string }): Promise<Record<string, unknown> | null> {
  const here = adjustment();
  const { uid } = workshop.getState();
  if (!here || !uid) return null;
  return (await attempt(() => api.measure(uid, here.sheet, here.layer.id, goal))) as Record<string, unknown> | null;
}

// -- presets, and what comes after ----------------------------------------------------------------------------------------------

export async function loadPresets(): Promise<void> {
  const presets = await attempt(() => api.adjustPresets());
  if (presets) set({ presets });
}

export async function keepPreset(name: string): Promise<void> {
  const here = adjustment();
  if (!here) return;
  const { adjust, components, ranges, rest } = here.layer;
  const id =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 40) || "preset";
  const presets = await attempt(() => api.keepAdjustPreset({ id, name, adjust, components, ranges, rest } as AdjustPreset));
  if (!presets) return;
  set({ presets });
  say(`Kept as the preset ${name}, for all projects.`);
}

export async function forgetPreset(id: string): Promise<void> {
  const presets = await attempt(() => api.forgetAdjustPreset(id));
  if (presets) set({ presets });
}

export async function takePreset(preset: AdjustPreset): Promise<void> {
  openRange(null);
  const { adjust, components, ranges, rest } = preset;
  await takeAdjust({ adjust, components, ranges, rest } as Changes, `Preset ${preset.name}`);
}

/** What a screen keeps of one adjustment is nothing for the next. */
workshop.subscribe((now, before) => {
  if (now.target?.layer === before.target?.layer && now.target?.sheet === before.target?.sheet && now.uid === before.uid) return;
  if (get().range || get().picking || get().catching) {
    if (now.over?.startsWith("catch:")) workshop.setState({ over: null });
    set({ range: null, catching: false, picking: null });
  }
  set({ bins: null });
});
