/** What is exported: the preset with what was changed of it, sheets, maps and variants; what it will come to, and what was written. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { ExportPlan, ExportPreset, LastExport, MapSpec, Sheet } from "../api/types";
import { attempt } from "./attempt";
import { runJob } from "./edits";
import { withOwnChannels } from "./exportMaps";
import { textured } from "./layers";
import { say } from "./messages";
import { workshop } from "./workshop";

export interface WrittenFile {
  name: string;
  sheet: string | null;
  map: string | null;
  width: number;
  height: number;
  bits: number;
  bytes: number;
  colour_space: string;
}

export interface Written {
  name: string;
  folder: string;
  files: WrittenFile[];
  /** Names of those that are others than before. */
  changed: string[];
}

interface ExportState {
  presets: readonly ExportPreset[];
  /** The chosen preset by id; null is what suits the project. */
  chosen: string | null;
  changed: Partial<ExportPreset>;
  sheetsOff: ReadonlySet<string>;
  /** Maps that a person switched: on or off, whatever they say. */
  switched: ReadonlyMap<string, boolean>;
  variants: ReadonlySet<string>;
  plan: ExportPlan | null;
  trouble: string;
  written: Written | null;
  last: LastExport | null;
  following: boolean;
  /** Whether the maps are checked before they are written. */
  checkFirst: boolean;
  /** Warnings of that check. */
  warnings: number | null;
}

const start = {
  chosen: null,
  changed: {},
  sheetsOff: new Set<string>(),
  switched: new Map<string, boolean>(),
  variants: new Set<string>(),
  plan: null,
  trouble: "",
  written: null,
  last: null,
  following: false,
  checkFirst: true,
  warnings: null as number | null,
};
export const exporting = createStore<ExportState>(() => ({ presets: [], ...start }));
const { getState: get, setState: set } = exporting;

export function choosePreset(id: string | null): void {
  set({ chosen: id, changed: {}, switched: new Map() });
}

export function changePreset(values: Partial<ExportPreset>): void {
  set({ changed: { ...get().changed, ...values } });
}

export async function loadPresets(): Promise<void> {
  const presets = await attempt(() => api.presets());
  if (presets) set({ presets });
}

/** The preset as it stands, its own channels' maps among them; null until presets are here. */
export function presetNow(state: ExportState = get()): ExportPreset | null {
  const { project } = workshop.getState();
  // What there is decides what is written first.
  const usual = project && !textured(project.document).length ? "vertex-colours" : "separate-maps";
  const base = state.presets.find((p) => p.id === (state.chosen ?? usual));
  if (!base || !project) return null;
  const maps = state.changed.maps ?? withOwnChannels(base, project.document.channels);
  return { ...base, ...state.changed, maps };
}

/** Whether a sheet has the mesh maps that a map is made of. */
export function isBaked(map: MapSpec, sheet: Sheet): boolean {
  return map.components.every((c) => {
    const source = c.replace(/^1-/, "");
    return !source.startsWith("map:") || sheet.mesh_maps.some((m) => m.id === source.slice(4).split(".")[0]);
  });
}

/** Whether no layer says anything in a map, on any of these sheets. */
export function isSilent(map: string, sheets: readonly Sheet[], plan: ExportPlan | null): boolean {
  return plan !== null && sheets.length > 0 && sheets.every((s) => plan.silent.some((x) => x.map === map && x.sheet === s.id));
}

/** Maps that say nothing are off until someone wants them. */
export function isOn(map: MapSpec, sheets: readonly Sheet[], state: Pick<ExportState, "switched" | "plan"> = get()): boolean {
  return state.switched.get(map.id) ?? (map.on && !isSilent(map.id, sheets, state.plan));
}

export function switchMap(id: string, on: boolean): void {
  set({ switched: new Map(get().switched).set(id, on) });
}

/** Ids of the sheets that are written. */
export function sheetsNow(): Sheet[] {
  const { project } = workshop.getState();
  return textured(project?.document).filter((s) => !get().sheetsOff.has(s.id));
}

function chosenVariants(): (string | null)[] | null {
  const { variants } = get();
  const all = ["", ...(workshop.getState().project?.document.variants ?? []).map((v) => v.id)];
  return variants.size ? all.filter((id) => variants.has(id)).map((id) => id || null) : null;
}

let asked = 0;
/** Ask what the export will come to. What comes back for older wishes is let go of. */
export async function askPlan(): Promise<void> {
  const { uid } = workshop.getState();
  const preset = presetNow();
  if (!uid || !preset || preset.vertex_files.length) return set({ plan: null, trouble: "" });
  const mine = ++asked;
  try {
    const plan = await api.exportPlan(uid, { preset, sheets: sheetsNow().map((s) => s.id), maps: preset.maps.map((m) => m.id), variants: null });
    if (mine === asked) set({ plan, trouble: "" });
  } catch (error) {
    if (mine === asked) set({ trouble: (error as Error).message });
  }
}

export async function loadLast(): Promise<void> {
  const { uid } = workshop.getState();
  const found = uid && (await attempt(() => api.lastExport(uid)));
  if (found) set({ last: found.last });
}

export async function write(): Promise<void> {
  const { uid } = workshop.getState();
  const preset = presetNow();
  if (!uid || !preset) return;
  const sheets = sheetsNow();
  const maps = preset.maps.filter((m) => isOn(m, sheets)).map((m) => m.id);
  const wish = {
    // Off in the preset too: the asset is written, and the next export from it is the same.
    preset: { ...preset, maps: preset.maps.map((m) => ({ ...m, on: maps.includes(m.id) })) },
    sheets: get().sheetsOff.size ? sheets.map((s) => s.id) : null,
    maps: null,
    variants: chosenVariants(),
  };
  const job = await runJob(() => api.exportMaps(uid, wish));
  if (job?.state === "done") await took(job.result as unknown as Written, false);
}

async function took(written: Written, quiet: boolean): Promise<void> {
  set({ written });
  await loadLast();
  const kept = written.files.length - written.changed.length;
  if (!quiet) say(`${written.changed.length} files written${kept ? `, ${kept} were the same as before` : ""}.`);
}

let writing = false;
/** Repeat the last export: only what changed is written. */
export async function writeAgain(over = false, quiet = false): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid || writing) return;
  writing = true;
  const job = await runJob(() => api.exportAgain(uid, over));
  writing = false;
  if (job?.state === "done") await took(job.result as unknown as Written, quiet);
  else if (quiet) follow(false);
}

/** Milliseconds after the last change until it is written. */
const SETTLED = 1500;
let timer = 0;

/** Write what changed whenever a stroke or an edit has settled, as long as this window is open. */
export function follow(on: boolean): void {
  set({ following: on });
  wait();
}

/** Forget what was to be written, or set it for later. */
function wait(later?: () => void): void {
  if (timer) window.clearTimeout(timer);
  timer = later ? window.setTimeout(later, SETTLED) : 0;
}

workshop.subscribe((now, before) => {
  if (now.uid !== before.uid) {
    wait();
    set(start);
    return;
  }
  if (!get().following || now.project?.revision === before.project?.revision) return;
  wait(() => void writeAgain(false, true));
});

/** Keep the preset as it stands under a name of its own. */
export async function savePreset(name: string): Promise<void> {
  const preset = presetNow();
  if (!preset) return;
  const id =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 40) || "own";
  const sheets = sheetsNow();
  const maps = preset.maps.map((m) => ({ ...m, on: isOn(m, sheets) }));
  await keep({ ...preset, id, name, note: "", maps });
}

async function keep(preset: ExportPreset): Promise<void> {
  const presets = await attempt(() => api.savePreset(preset));
  if (!presets) return;
  set({ presets });
  choosePreset(preset.id);
}

/** A preset from a file. */
export async function importPreset(file: File): Promise<void> {
  try {
    await keep(JSON.parse(await file.text()) as ExportPreset);
  } catch {
    say(`${file.name} is no export preset: it is not JSON.`, true);
  }
}

export async function deletePreset(id: string): Promise<void> {
  const presets = await attempt(() => api.deletePreset(id));
  if (!presets) return;
  choosePreset(null);
  set({ presets });
}
