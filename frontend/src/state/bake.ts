/** What the Bake screen has chosen, and the bake that runs. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import { busy } from "../api/idle";
import type { BakeRequest, BakeSettings, PartPair, Target } from "../api/types";
import { runJob, take } from "./edits";
import { refresh, showPiece, sync } from "./following";
import { findSheet, firstTarget } from "./layers";
import { say } from "./messages";
import { theStage } from "./stage";
import type { ViewMode } from "./textureNames";
import { workshop } from "./workshop";
import type { Tool } from "./workshop";

export type Source = BakeRequest["source"];

export interface BakeState {
  /** Maps that the next bake makes. */
  chosen: readonly string[];
  /** The map that the views show and touch-up strokes change. */
  shown: string;
  source: Source;
  everySheet: boolean;
  settings: BakeSettings | null;
  /** The project they are of. */
  settingsOf: string | null;
  running: string | null;
  startedAt: number;
}

export const bakery = createStore<BakeState>(() => ({
  chosen: ["normal", "occlusion", "curvature", "position", "thickness"],
  shown: "occlusion",
  source: "high",
  everySheet: true,
  settings: null,
  settingsOf: null,
  running: null,
  startedAt: 0,
}));
const { getState: get, setState: set } = bakery;

interface Kept {
  mode: ViewMode;
  channel: string;
  target: Target | null;
  tool: Tool;
}

let kept: Kept | null = null;

function touchUp(sheet: string, map: string): Target {
  return { sheet, layer: "none", channels: [], mask: null, mesh_map: map };
}

/** Turn the views and the target to mesh maps; what was there comes back on leaving. */
export function enterBake(): void {
  const s = workshop.getState();
  kept = { mode: s.mode, channel: s.channel, target: s.target, tool: s.tool };
  if (!s.project?.document.high_meshes.length && get().source === "high") set({ source: "model" });
  settle();
  showMap(get().shown);
  if (s.tool === "fill") workshop.setState({ tool: "brush" });
}

/** A project's settings begin with what its last bake was asked for, else with the usual ones; then they are the artist's. */
export function settle(): void {
  const { registries, project, uid } = workshop.getState();
  const usual = registries?.bake.settings;
  if (!usual || !project || (get().settings && get().settingsOf === uid)) return;
  const last = project.document.sheets.flatMap((s) => s.mesh_maps).find((m) => m.source === "high" || m.source === "model")?.settings as
    Partial<BakeSettings> | undefined;
  const next = { ...usual, ...last };
  // A cage may have been taken away since.
  set({ settings: next.cage === "file" && !project.document.cage_mesh ? { ...next, cage: usual.cage } : next, settingsOf: uid });
}

export function leaveBake(): void {
  const s = workshop.getState();
  const home = kept?.target && s.project ? findSheet(s.project.document, kept.target.sheet) : undefined;
  const sheet = s.project?.document.sheets.find((x) => x.id === s.sheet);
  workshop.setState({
    mode: kept?.mode ?? "lit",
    channel: kept?.channel ?? "base_color",
    tool: kept?.tool ?? "brush",
    target: home && kept?.target?.sheet === s.sheet ? kept.target : sheet ? firstTarget(sheet) : null,
    suspects: false,
    shell: false,
  });
  void drawShell();
  kept = null;
}

/** Show a map (of a sheet) in the views and make its touch-up the target. */
export function showMap(map: string, sheet = workshop.getState().sheet): void {
  set({ shown: map });
  if (!sheet) return;
  workshop.setState({ mode: "channel", channel: `map:${map}`, sheet, target: touchUp(sheet, map) });
}

export function choose(map: string, on: boolean): void {
  const order = workshop.getState().registries?.bake.maps.map((m) => m.id) ?? [];
  set({ chosen: order.filter((id) => (id === map ? on : get().chosen.includes(id))) });
}

export function setSetting(change: Partial<BakeSettings>): void {
  const { settings } = get();
  if (!settings) return;
  const next = { ...settings, ...change };
  set({ settings: next });
  if (SHELLED.some((name) => name in change)) shellSoon();
}

/** Settings that the shell shows. */
const SHELLED = ["front", "back", "cage", "cage_blend"] as const;
let waiting = 0;
let drawn = 0;

/** The shell anew once the hand rests. */
function shellSoon(): void {
  if (!workshop.getState().shell) return;
  window.clearTimeout(waiting);
  const done = busy();
  waiting = window.setTimeout(() => void drawShell(), 120);
  window.setTimeout(done, 120);
}

/** Show or hide how far a bake searches. */
export function toggleShell(): void {
  workshop.setState({ shell: !workshop.getState().shell });
  void drawShell();
}

/** Ask where rays start and end, sheet by sheet, and show it; take it away where it is not wanted. */
async function drawShell(): Promise<void> {
  const { uid, shell, project } = workshop.getState();
  const { settings } = get();
  const turn = ++drawn;
  for (const sheet of project?.document.sheets ?? []) {
    if (!shell || !uid || !settings) {
      theStage()?.setShell(sheet.id, null);
      continue;
    }
    const answer = await api.shell(uid, sheet.id, settings).catch((e: Error) => (say(e.message, true), null));
    if (turn !== drawn || !answer) return;
    const count = answer.header.triangles * 9;
    const places = new Float32Array(answer.bytes.slice(0, count * 8).buffer);
    theStage()?.setShell(sheet.id, [places.slice(0, count), places.slice(count)]);
  }
}

/** What the artist says a low part is measured against; null: what names say. */
export function pairPart(low: string, said: Pick<PartPair, "to" | "high"> | null): void {
  const { settings } = get();
  if (!settings) return;
  const others = settings.pairs.filter((p) => p.low !== low);
  setSetting({ pairs: said ? [...others, { low, ...said }] : others });
}

/** Give the sheet shown the map that says where rays leave straight, and show it to be painted. */
export async function paintStraight(sheet: string): Promise<void> {
  const there = workshop
    .getState()
    .project?.document.sheets.find((s) => s.id === sheet)
    ?.mesh_maps.some((m) => m.id === "straight");
  if (there || (await take((uid, revision) => api.beginStraight(uid, revision, sheet)))) showMap("straight", sheet);
}

export async function bringCage(files: File[]): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid || !files.length) return;
  const form = new FormData();
  for (const file of files) form.append("file", file, file.name);
  const job = await runJob(() => api.bringCage(uid, form));
  await refresh();
  if (job?.state === "done") setSetting({ cage: "file" });
}

export async function dropCage(): Promise<void> {
  if ((await take((uid) => api.dropCage(uid))) && get().settings?.cage === "file") setSetting({ cage: "blended" });
}

/** The bake that the button would start, or null when there is nothing to bake. */
export function request(): BakeRequest | null {
  const { chosen, settings, source, everySheet } = get();
  const { sheet, registries } = workshop.getState();
  const maps = source === "normal-map" ? chosen.filter((id) => registries?.bake.maps.find((m) => m.id === id)?.from_normal) : [...chosen];
  if (!settings || !maps.length || !sheet) return null;
  return { maps, sheets: everySheet ? [] : [sheet], source, settings };
}

export async function startBake(): Promise<void> {
  const { uid } = workshop.getState();
  const wanted = request();
  if (!uid || !wanted || get().running) return;
  const first = wanted.maps.includes(get().shown) ? get().shown : (wanted.maps[0] ?? get().shown);
  showMap(first);
  set({ startedAt: Date.now() });
  const job = await runJob(async () => {
    const started = await api.bake(uid, wanted);
    set({ running: started.id });
    void stream(uid);
    return started;
  });
  set({ running: null });
  await refresh();
  // Also when nothing was stored: pieces of a stopped bake must not stay in the views.
  await sync();
  if (job?.state === "cancelled") say("Stopped. The maps are as they were.");
  if (job?.state === "done")
    say(`Baked ${wanted.maps.length} ${wanted.maps.length === 1 ? "map" : "maps"} in ${((Date.now() - get().startedAt) / 1000).toFixed(1)} s.`);
}

/** Show pieces of the running bake as they come. */
async function stream(uid: string): Promise<void> {
  let after = 0;
  let shown = "";
  while (get().running) {
    const { sheet } = workshop.getState();
    const key = `${sheet}/${get().shown}`;
    if (key !== shown) after = 0;
    shown = key;
    if (sheet) {
      const answer = await api.arrived(uid, sheet, get().shown, after).catch(() => null);
      if (!answer?.header.running || !get().running) return;
      for (const t of answer.header.tiles) showPiece(sheet, t.texture, t.chunk, answer.bytes.slice(t.offset, t.offset + t.length));
      after = answer.header.count;
    }
    await new Promise((wake) => setTimeout(wake, 250));
  }
}

export async function stopBake(): Promise<void> {
  const { running } = get();
  if (running) await api.cancelJob(running).catch((e: Error) => say(e.message, true));
}

export async function bringHigh(files: FileList | File[]): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid || !files.length) return;
  const form = new FormData();
  for (const file of files) form.append("file", file, file.name);
  const job = await runJob(() => api.bringHigh(uid, form));
  await refresh();
  if (job?.state === "done") set({ source: "high" });
}

export async function switchTouchUp(sheet: string, map: string, on: boolean): Promise<void> {
  await take((uid, revision) => api.touchUp(uid, revision, sheet, map, on));
}

export async function bringPicture(sheet: string, map: string, file: File, y: "up" | "down"): Promise<void> {
  const form = new FormData();
  form.append("file", file, file.name);
  form.append("y", y);
  if (await take((uid) => api.bringMap(uid, sheet, map, form))) showMap(map, sheet);
}
