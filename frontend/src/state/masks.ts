/** Masks: the one that is open, how it is looked at, and changes that are tried while a slider is dragged. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { Binary } from "../api/client";
import type { DisplayHeader, Edit, FacePick, Layer, Mask, MaskStep, Sheet, Target } from "../api/types";
import { edit, runJob, take } from "./edits";
import { refresh, sync, wantedTextures } from "./following";
import { chooseTarget } from "./hand";
import { findLayer, findSheet, layerEdit } from "./layers";
import { say } from "./messages";
import { theStage } from "./stage";
import { workshop } from "./workshop";

export type MaskView = "off" | "grey" | "over";

interface MaskState {
  /** The layer whose mask is open. */
  open: { sheet: string; layer: string } | null;
  view: MaskView;
  /** The one source that the views show instead of the whole mask. */
  solo: string | null;
  /** Small looks at the open mask ("") and its sources. */
  pictures: Record<string, string>;
  /** The step that the next press on the model gives a colour or faces to. */
  picking: { step: string; what: "colours" | "picks" } | null;
  /** Part, island and so on, for picks of faces. */
  pickBy: FacePick["by"];
  /** The step whose handles are on the model. */
  handles: string | null;
  /** The fill whose picture has its handles on the model. */
  fill: { layer: string; channel: string } | null;
  /** A mask being copied. */
  copied: { sheet: string; layer: string } | null;
}

export const masks = createStore<MaskState>(() => ({
  open: null,
  view: "off",
  solo: null,
  pictures: {},
  picking: null,
  pickBy: "part",
  handles: null,
  fill: null,
  copied: null,
}));
const { getState: get, setState: set } = masks;

export function openLayer(): { sheet: Sheet; layer: Layer } | null {
  const { open } = get();
  const document = workshop.getState().project?.document;
  const sheet = document && open ? findSheet(document, open.sheet) : undefined;
  const layer = open ? findLayer(sheet, open.layer) : undefined;
  return sheet && layer ? { sheet, layer } : null;
}

export function openMask(sheet: string, layer: string): void {
  const same = get().open?.layer === layer && get().open?.sheet === sheet;
  set({ open: { sheet, layer }, ...(same ? {} : { solo: null, picking: null, handles: null, pictures: {} }) });
  look();
  // What is looked at is what strokes go into, where it can be painted.
  const painted = [...(openLayer()?.layer.mask?.sources ?? [])].reverse().find((s) => s.kind === "painted" && s.on);
  if (painted && !same) chooseTarget({ sheet, layer, channels: [], mask: painted.id, mesh_map: null });
  void freshPictures();
}

export function closeMask(): void {
  set({ open: null, solo: null, picking: null, handles: null, pictures: {} });
  look();
}

export function viewMask(view: MaskView, solo: string | null = null): void {
  set({ view, solo });
  look();
}

/** Bring the views in line with how the mask is looked at. */
function look(): void {
  const { open, view, solo } = get();
  const now = workshop.getState();
  const name = open && view !== "off" ? `mask:${open.layer}${solo ? `:${solo}` : ""}` : null;
  if (name && view === "grey") workshop.setState({ mode: "channel", channel: name, over: null, maskSheet: open?.sheet ?? null });
  else
    workshop.setState({
      over: name,
      maskSheet: open?.sheet ?? null,
      ...(now.channel.startsWith("mask:") ? { mode: "lit", channel: "base_color" } : {}),
    });
}

/** A mask that fills the views but is not what a stroke would change must not take one. */
export function maskTrouble(view: MaskView, target: Target | null): string | null {
  const here = openLayer();
  if (view === "off" || !here || (target?.layer === here.layer.id && target.sheet === here.sheet.id && target.mask)) return null;
  const paintable = here.layer.mask?.sources.some((s) => s.kind === "painted");
  return `The views show the mask of ${here.layer.name}, which is not the target: ${paintable ? "press its painted source" : "give it a painted source"}, or switch the view off`;
}

// -- changes --------------------------------------------------------------------------------------------------------------------

export function emptyMask(): Mask {
  return { on: true, invert: false, sources: [] };
}

function setMask(sheet: Sheet, layer: Layer, mask: Mask | null): Edit {
  return layerEdit(sheet.id, layer.id, { mask });
}

/** Take a change of the open mask as a step of history. */
export async function changeMask(mask: Mask | null, label: string): Promise<void> {
  const here = openLayer();
  if (!here) return;
  forgetTrial();
  if (await edit(label, setMask(here.sheet, here.layer, mask))) await freshPictures();
  else void sync();
}

/** Show a change of the open mask without taking it. */
export function tryMask(mask: Mask): void {
  const here = openLayer();
  if (here) tryEdit(here.sheet.id, setMask(here.sheet, here.layer, mask));
}

export function freshStepId(mask: Mask): string {
  const taken = new Set(mask.sources.map((s) => s.id));
  let n = 1;
  while (taken.has(`m${n}`)) n += 1;
  return `m${n}`;
}

/** A new step of a kind, with first values that already show something. */
export function newStep(mask: Mask, kind: string): MaskStep | null {
  const first = workshop.getState().registries?.stack.first_steps[kind];
  if (!first) return null;
  const step = { ...first, id: freshStepId(mask) } as MaskStep;
  return "combine" in step ? ({ ...step, combine: mask.sources.some((s) => s.on) ? "multiply" : "replace" } as MaskStep) : step;
}

export async function addStep(layer: Layer, kind: string, more: Record<string, unknown> = {}): Promise<string | null> {
  const sheet = workshop.getState().sheet;
  const mask = layer.mask ?? emptyMask();
  const made = newStep(mask, kind);
  if (!made || !sheet) return null;
  openMask(sheet, layer.id);
  const name = kindOf(kind)?.name ?? kind;
  await changeMask({ ...mask, sources: [...mask.sources, { ...made, ...more } as MaskStep] }, `${name} in the mask of ${layer.name}`);
  if (kind === "painted") chooseTarget({ sheet, layer: layer.id, channels: [], mask: made.id, mesh_map: null });
  if (kind === "gradient") set({ handles: made.id });
  if (kind === "faces") set({ picking: { step: made.id, what: "picks" } });
  if (kind === "id_colour" || kind === "colour_range") set({ picking: { step: made.id, what: "colours" } });
  return made.id;
}

export function kindOf(id: string): import("../api/types").StepKind | undefined {
  const stack = workshop.getState().registries?.stack;
  return stack && [...stack.sources, ...stack.shapers].find((k) => k.id === id);
}

export async function copyMaskTo(layer: Layer): Promise<void> {
  const { copied } = get();
  if (!copied) return;
  await take((uid, revision) => api.copyMask(uid, revision, copied.sheet, copied.layer, layer.id));
  openMask(copied.sheet, layer.id);
}

/** Bake the map a source waits for, with the usual settings. */
export async function bakeFor(map: string): Promise<void> {
  const { uid, sheet, registries } = workshop.getState();
  if (!uid || !sheet || !registries) return;
  const job = await runJob(() => api.bake(uid, { maps: [map], sheets: [sheet], source: "high", settings: registries.bake.settings }));
  await refresh();
  if (job?.state === "done") await freshPictures();
}

/** A press on the model while a step waits for colours or faces. */
export async function pickForMask(at: Parameters<typeof api.probe>[1]): Promise<void> {
  const { picking, pickBy } = get();
  const here = openLayer();
  const { uid } = workshop.getState();
  const step = here?.layer.mask?.sources.find((s) => s.id === picking?.step);
  if (!picking || !here?.layer.mask || !uid || !step) return;
  const found = await api.probe(uid, { ...at, values: true }).catch(() => null);
  if (!found?.hit) return say("There is no surface there. Press on the model.", true);
  let change: Record<string, unknown> | null = null;
  if (picking.what === "picks" && step.kind === "faces") {
    const index = found.belongs?.[pickBy];
    if (index === undefined || index < 0) return say(`Nothing there belongs to a ${pickBy === "group" ? "face group" : pickBy}.`, true);
    const had = step.picks.some((p) => p.by === pickBy && p.index === index);
    change = { picks: had ? step.picks.filter((p) => p.by !== pickBy || p.index !== index) : [...step.picks, { by: pickBy, index }] };
  } else if (step.kind === "id_colour" || step.kind === "colour_range") {
    const value = found.values?.[step.kind === "id_colour" ? "map:id" : step.channel];
    if (!value) return say("Nothing can be read there. Bake the id colours first.", true);
    change = { colours: [...step.colours, value.length === 3 ? value : [value[0], value[0], value[0]]] };
  }
  if (!change) return;
  const sources = here.layer.mask.sources.map((s) => (s.id === step.id ? ({ ...s, ...change } as MaskStep) : s));
  await changeMask({ ...here.layer.mask, sources }, `Pick in the mask of ${here.layer.name}`);
}

// -- trying ---------------------------------------------------------------------------------------------------------------------

let flying = false;
let next: { sheet: string; edit: Edit } | null = null;
let generation = 0;

/** Show what an edit would do, without taking it. Of values that come faster than the server answers, the last wins. */
export function tryEdit(sheet: string, change: Edit): void {
  next = { sheet, edit: change };
  void pump();
}

/** Answers still on their way are for an older state. */
export function forgetTrial(): void {
  next = null;
  generation += 1;
}

async function pump(): Promise<void> {
  if (flying) return;
  flying = true;
  try {
    while (next) {
      const { sheet, edit: change } = next;
      const mine = generation;
      next = null;
      const answer = await tried(sheet, change);
      if (mine !== generation || !answer) continue;
      const stage = theStage();
      const side = workshop.getState().project?.document.sheets.find((s) => s.id === sheet)?.resolution;
      if (!stage || !side) continue;
      const textures = stage.textures(sheet, side);
      for (const t of answer.header.tiles)
        textures.get(t.texture).writeChunk(t.chunk, t.version, answer.bytes.subarray(t.offset, t.offset + t.length));
      stage.draw();
      const { open } = get();
      const { uid } = workshop.getState();
      if (!next && open?.sheet === sheet && uid) {
        const pictures = await api.maskPictures(uid, sheet, open.layer, change);
        if (mine === generation) set({ pictures });
      }
    }
  } catch (error) {
    // What cannot be tried cannot be taken either; taking it says why.
    if (!next) say((error as Error).message, true);
  } finally {
    flying = false;
  }
}

async function tried(sheet: string, change: Edit): Promise<Binary<DisplayHeader> | null> {
  const { uid, project } = workshop.getState();
  const stage = theStage();
  const home = project && findSheet(project.document, sheet);
  if (!uid || !home || !stage) return null;
  const textures = stage.textures(sheet, home.resolution);
  const names = wantedTextures(home);
  return api.tryDisplay(uid, sheet, names, Object.fromEntries(names.map((n) => [n, textures.get(n).versions])), change, stage.seenFrom());
}

export async function freshPictures(): Promise<void> {
  const { open } = get();
  const { uid } = workshop.getState();
  if (!open || !uid || !openLayer()?.layer.mask) return set({ pictures: {} });
  const pictures = await api.maskPictures(uid, open.sheet, open.layer, null).catch(() => null);
  if (pictures && get().open?.layer === open.layer) set({ pictures });
}

workshop.subscribe((now, before) => {
  const { open } = get();
  if (!open) return;
  if (now.uid !== before.uid || !openLayer()) closeMask();
  else if (now.project?.revision !== before.project?.revision) void freshPictures();
});
