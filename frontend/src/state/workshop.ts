/** The open project in the browser: what the server said last, what the person has chosen, and the actions between them. */
import { createStore } from "zustand/vanilla";
import { api, ApiError, followJob } from "../api/client";
import type { Brush, Confine, Edit, FacePick, Gradient, Job, ModelFacts, Paint, ProjectState, Registries, Sheet, StrokeHeader, Target, ToolKind } from "../api/types";
import { StrokeSender } from "../tools/strokeSender";
import type { ViewMode } from "../viewport/materials";
import { textureOf } from "../viewport/materials";
import { Stage } from "../viewport/stage";
import { SUSPECTS } from "../viewport/textures";
import { busy } from "./idle";
import { say } from "./messages";
import { findLayer, findSheet, firstTarget, rows, targetTrouble, partIn } from "./layers";

/** A hand tool by its id; the server lists them. */
export type Tool = string;
export type Tone = Required<NonNullable<Paint["tone"]>>;
export type SmearSettings = Required<NonNullable<Paint["smear"]>>;
export type RGB = [number, number, number];

/** Where clone reads. `anchor`: what lies under the first dab reads from there; a moving source keeps it between strokes. */
export interface CloneSource {
  source: [number, number, number];
  anchor: [number, number, number] | null;
}

export interface Recording {
  since: number;
}

export interface WorkshopState {
  uid: string | null;
  project: ProjectState | null;
  model: ModelFacts | null;
  registries: Registries | null;
  cells: Record<string, string>;
  sheet: string | null;
  target: Target | null;
  tool: Tool;
  /** Values of tools' own sliders, by tool. */
  toolSettings: Record<string, Record<string, number>>;
  brush: Brush;
  /** The two colours; with a mask target its two values take their place. */
  colours: [RGB, RGB];
  maskValues: [number, number];
  other: boolean;
  values: Record<string, number[]>;
  fillBy: string;
  fillStrength: number;
  mode: ViewMode;
  channel: string;
  lightDeg: number;
  wire: boolean;
  highlight: ReadonlySet<number> | null;
  storedAt: number | null;
  lost: boolean;
  lastStroke: { ms: number; chunks: number } | null;
  job: Job | null;
  recording: Recording | null;
  clone: CloneSource | null;
  cloneMoves: boolean;
  softenReach: number;
  smear: SmearSettings;
  /** What soften, clone and tone look at: the channel as it looks, or what the target itself holds. */
  reads: "all" | "layer";
  tone: Tone;
  /** How brush, line, stamp and fill meet what is there. */
  blend: string;
  confine: Confine;
  /** Whether what confine holds is used. */
  confined: boolean;
  /** The brush before the last change of tip or settings as a whole. */
  lastBrush: Brush | null;
  /** How far a gradient fill has come: its two ends, object space. */
  gradient: Gradient | null;
  /** Faces that a box or lasso or press gathered. */
  picked: FacePick[];
  /** Search distances of a bake, shown around the model as shares of its diagonal. */
  /** Whether the view shows how far a bake searches. */
  shell: boolean;
  /** Whether a press on the Model screen marks edges. */
  seaming: boolean;
  /** The island chosen on the Model screen. */
  island: number | null;
  /** Texels per object unit on it, and on the other islands of its sheet if there are any. */
  density: { own: number; others: number | null } | null;
  /** The next layout to arrive has the same islands. */
  placing: boolean;
  /** A mask shown in colour over the lit model, as "mask:LAYER". */
  over: string | null;
  /** The sheet of the mask that is looked at; layers of another sheet may go by the same id. */
  maskSheet: string | null;
  /** Mask steps by layer that wait for a map, a picture, a layer or a colour. */
  waiting: Record<string, string[]>;
  /** Whether suspect texels are marked in the views. */
  suspects: boolean;
}

const START: Omit<WorkshopState, "registries"> = {
  uid: null,
  project: null,
  model: null,
  cells: {},
  sheet: null,
  target: null,
  tool: "brush",
  toolSettings: {},
  brush: {
    size: 40, size_unit: "view", strength: 1, flow: 0.6, hardness: 0.5, spacing: 0.12, steadying: 0, angle: 0, roundness: 1,
    jitter_place: 0, jitter_size: 0, jitter_angle: 0, jitter_strength: 0,
    pressure_size: { on: true, low: 0.1, gamma: 1 }, pressure_flow: { on: false, low: 0.1, gamma: 1 }, pressure_strength: { on: false, low: 0.1, gamma: 1 },
    jitter_hue: 0, jitter_saturation: 0, jitter_value: 0, facing_deg: 90, back: false, depth: 0,
    tips: [], flip: "none", follow: false, build: "flow", spray: 1, grain: { picture: null, size: 0.05, depth: 0.8, fixed: "surface" }, mix: { way: "none", length: 6 },
    facing: true, mirror: { x: false, y: false, z: false, around: 1, axis: "y" }, seed: 1,
  },
  colours: [
    [0.545, 0.259, 0.204],
    [0.718, 0.62, 0.447],
  ],
  maskValues: [1, 0],
  other: false,
  values: { roughness: [0.5], metallic: [0], height: [0.15], opacity: [1], occlusion: [1] },
  fillBy: "part",
  fillStrength: 1,
  mode: "lit",
  channel: "base_color",
  lightDeg: 40,
  wire: true,
  highlight: null,
  storedAt: null,
  lost: false,
  lastStroke: null,
  job: null,
  recording: null,
  clone: null,
  cloneMoves: true,
  softenReach: 0.35,
  smear: { mode: "mix", wetness: 0 },
  reads: "all",
  tone: { change: "lighten", range: "all", amount: 0.3, degrees: 30, colour: [0.5, 0.5, 0.5] },
  blend: "normal",
  confine: { relief: 0, softness: 0.5, relief_from: "mesh", raised: 0, picks: [], part: false, colours: [], ids: [], colours_from: "beneath", tolerance: 0.08, colour_softness: 0.08 },
  confined: true,
  lastBrush: null,
  gradient: null,
  picked: [],
  shell: false,
  seaming: false,
  island: null,
  density: null,
  placing: false,
  over: null,
  maskSheet: null,
  waiting: {},
  suspects: false,
};

export const workshop = createStore<WorkshopState>(() => ({ ...START, registries: null }));
const { getState: get, setState: set } = workshop;

let stage: Stage | null = null;
let sender: StrokeSender | null = null;
let poll = 0;

export function theStage(): Stage | null {
  return stage;
}

function told(error: unknown): string {
  return error instanceof Error ? error.message : "Something went wrong.";
}

/** Run an action; its failure becomes a message, and a stale view is brought up to date. */
async function attempt<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    const result = await work();
    if (get().lost) set({ lost: false });
    return result;
  } catch (error) {
    const status = error instanceof ApiError ? error.status : -1;
    if (status === 0) set({ lost: true });
    say(told(error), true);
    if (status === 409 || status === 404) await refresh().catch(() => undefined);
    return null;
  }
}

// -- opening and following ------------------------------------------------------------------------------------------------------

export async function loadRegistries(): Promise<void> {
  if (get().registries) return;
  await attempt(async () => {
    const registries = await api.registries();
    // Brush and tools begin as the server's do, so that scripts, core and hand agree.
    const { reach, tone, smear } = registries.paint;
    set({ registries, toolSettings: registries.tool_settings, brush: registries.brush, softenReach: reach, tone: tone as Tone, smear: smear as SmearSettings });
  });
}

export function openStage(canvas: HTMLCanvasElement): () => void {
  stage = new Stage(canvas);
  stage.setTheme(document.documentElement.dataset.mode !== "light");
  const stop = workshop.subscribe((now, before) => {
    if (now.mode !== before.mode || now.channel !== before.channel || now.lightDeg !== before.lightDeg || now.wire !== before.wire ||
        now.sheet !== before.sheet || now.suspects !== before.suspects || now.over !== before.over || now.maskSheet !== before.maskSheet || now.highlight !== before.highlight || now.project?.document.hidden_parts !== before.project?.document.hidden_parts) {
      show();
    }
    if (now.project?.revision !== before.project?.revision || now.channel !== before.channel || now.mode !== before.mode || now.over !== before.over || now.suspects !== before.suspects) void sync();
  });
  return () => {
    stop();
    stage?.dispose();
    stage = null;
  };
}

function show(): void {
  const s = get();
  const extra = s.mode === "channel" ? textureOf(s.channel) : null;
  for (const name of [extra, s.over && textureOf(s.over)]) {
    if (name && s.project && stage) for (const sheet of s.project.document.sheets) if (hasTexture(sheet, name)) stage.textures(sheet.id, sheet.resolution).get(name);
  }
  stage?.apply({
    mode: s.mode, channel: s.channel, lightDeg: s.lightDeg, wire: s.wire, flatSheet: s.sheet,
    hiddenParts: s.project?.document.hidden_parts ?? [], highlight: s.highlight, suspects: s.suspects, tinted: s.project?.document.settings.multiply_vertex_colours ?? false,
    over: s.over, maskSheet: s.maskSheet,
  });
}

/** What the hand keeps from project to project. */
function inHand(): Pick<WorkshopState, "brush" | "colours" | "softenReach" | "tone" | "smear"> {
  const { brush, colours, softenReach, tone, smear } = get();
  return { brush, colours, softenReach, tone, smear };
}

export async function openProject(uid: string): Promise<void> {
  set({ ...START, ...inHand(), uid });
  const done = busy();
  await attempt(async () => {
    const project = await api.state(uid);
    const sheet = project.document.sheets[0];
    sender = new StrokeSender(uid);
    set({ project, sheet: sheet?.id ?? null, target: sheet ? firstTarget(sheet) : null, storedAt: project.updated_at });
    stage?.beginGeometry(await api.geometry(uid), true);
    await loadSheets(uid);
    set({ model: await api.model(uid) });
  });
  done();
  window.clearInterval(poll);
  poll = window.setInterval(() => void follow(), 2000);
}

/** Bring the sheets' triangles in one by one, the chosen one first: it is seen, painted, while the rest follows. */
async function loadSheets(uid: string): Promise<void> {
  const { project, sheet } = get();
  const ids: (string | null)[] = project?.document.sheets.map((s) => s.id) ?? [];
  const order = ids.length ? [...ids].sort((a, b) => Number(b === sheet) - Number(a === sheet)) : [null];
  let coming = api.sheetGeometry(uid, order[0] ?? null);
  for (let i = 0; i < order.length; i++) {
    const answer = await coming;
    if (i + 1 < order.length) {
      coming = api.sheetGeometry(uid, order[i + 1] ?? null);
      // Whoever awaits it next hears of its failure; until then it is nobody's.
      coming.catch(() => undefined);
    }
    if (get().uid !== uid || !stage) return;
    stage.addSheet(answer);
    show();
    // The first at once, the others together: each look costs a drawn frame.
    if (i === 0 || i === order.length - 1) await sync();
  }
}

export function closeProject(): void {
  window.clearInterval(poll);
  set({ ...START, ...inHand() });
}

/** See whether another window changed the project, or whether the server is back. */
async function follow(): Promise<void> {
  const { uid, project } = get();
  if (!uid || !project || document.hidden || sender?.running) return;
  try {
    const revision = await api.revision(uid);
    if (get().lost) {
      set({ lost: false });
      say("The server is back. Everything you had stored is here.");
    }
    if (revision !== get().project?.revision && !sender?.running) await refresh();
  } catch {
    set({ lost: true });
  }
}

export async function refresh(): Promise<void> {
  const { uid } = get();
  if (uid) accept(await api.state(uid));
}

/** Take over what the server says the project is; a target that is gone falls back. */
export function accept(project: ProjectState): void {
  const s = get();
  if (s.project && (s.project.uid !== project.uid || project.revision < s.project.revision)) return;
  const sheet = project.document.sheets.find((x) => x.id === s.sheet) ?? project.document.sheets[0];
  let target = s.target;
  const home = target && findSheet(project.document, target.sheet);
  const row = home && rows(home).find((r) => r.layer.id === target?.layer);
  if (target?.mesh_map ? !home : !row || (target?.mask && !row.layer.mask?.sources.some((x) => x.id === target?.mask))) target = sheet ? firstTarget(sheet) : null;
  if (s.project && s.project.model !== project.model) void reloadModel(project.uid);
  set({ project, sheet: sheet?.id ?? null, target, storedAt: project.updated_at, lost: false });
}

/** Another UV layout came: the views need its triangles, and the lists its facts. */
async function reloadModel(uid: string): Promise<void> {
  const done = busy();
  await attempt(async () => {
    const header = await api.geometry(uid);
    if (get().uid !== uid) return;
    stage?.beginGeometry(header, false);
    // An island placed by hand stays the chosen one; another layout has other islands.
    set(get().placing ? { placing: false } : { island: null, density: null, highlight: null });
    show();
    await loadSheets(uid);
    stage?.refit();
    set({ model: await api.model(uid) });
  });
  done();
}

let syncing: Promise<void> | null = null;
let again = false;

/** Bring display textures and grid pictures up to date; asks that come meanwhile are answered by one more round. */
export function sync(): Promise<void> {
  if (syncing) {
    again = true;
    return syncing;
  }
  const done = busy();
  syncing = (async () => {
    do {
      again = false;
      await syncOnce();
    } while (again);
  })().catch((error: unknown) => say(told(error), true)).finally(() => {
    syncing = null;
    done();
  });
  return syncing;
}

async function syncOnce(): Promise<void> {
  const { project, uid, sheet } = get();
  if (!project || !uid || !stage) return;
  const ordered = [...project.document.sheets].sort((a, b) => Number(b.id === sheet) - Number(a.id === sheet));
  for (const s of ordered.filter((x) => stage?.has(x.id))) {
    const textures = stage.textures(s.id, s.resolution);
    const wanted = wantedTextures(s);
    for (const names of [wanted.slice(0, 1), wanted.slice(1)]) {
      const have = Object.fromEntries(names.map((n) => [n, textures.get(n).stamps]));
      const answer = await api.display(uid, s.id, names, have);
      if (get().uid !== uid || !stage) return;
      for (const t of answer.header.tiles) textures.get(t.texture).writeChunk(t.chunk, t.stamp, answer.bytes.subarray(t.offset, t.offset + t.length));
      stage.draw();
    }
    stage.setSheetTraits(s.id, uses(s, "opacity") && s.alpha_mode !== "opaque", s.alpha_mode === "mask" ? s.alpha_cutoff : 0, uses(s, "emission"));
  }
  show();
  if (sheet) {
    const cells = await api.cells(uid, sheet);
    if (get().uid === uid) set({ cells: cells.cells, waiting: cells.waiting });
  }
}

/** Textures of a sheet that the views show now; first the one that matters most. */
export function wantedTextures(sheet: Sheet): string[] {
  const { mode, channel, suspects, over } = get();
  const wanted = ["colour", "data", "normal"];
  if (uses(sheet, "emission")) wanted.push("emission");
  for (const name of [mode === "channel" ? textureOf(channel) : null, over && textureOf(over), mode === "channel" && suspects ? SUSPECTS : null]) {
    if (name && !wanted.includes(name) && hasTexture(sheet, name)) wanted.push(name);
  }
  return wanted;
}

/** A mask's texture is there for the sheet that has the layer, as long as it has a mask. */
function hasTexture(sheet: Sheet, name: string): boolean {
  if (!name.startsWith("channel:mask:")) return true;
  if (sheet.id !== get().maskSheet) return false;
  const [layer = "", step] = name.slice("channel:mask:".length).split(":");
  const mask = findLayer(sheet, layer)?.mask;
  return Boolean(mask) && (!step || (mask?.sources.some((s) => s.id === step && "combine" in s) ?? false));
}

/** Whether any layer of a sheet says anything in a channel. */
export function uses(sheet: Parameters<typeof rows>[0], channel: string): boolean {
  const painted = get().project?.painted ?? [];
  return rows(sheet).some(({ layer }) => {
    const part = partIn(layer, channel);
    return part.on && (layer.kind === "fill" ? part.value != null || part.content != null : layer.kind === "adjust" ? false : painted.includes(`${sheet.id}/${layer.id}/${channel}`));
  });
}

// -- changes --------------------------------------------------------------------------------------------------------------------

export async function edit(label: string, change: Edit): Promise<boolean> {
  const { uid, project } = get();
  if (!uid || !project) return false;
  const answer = await attempt(() => api.edit(uid, project.revision, label, change));
  if (answer) accept(answer);
  return answer !== null;
}

export async function undo(): Promise<void> {
  const { uid } = get();
  if (sender?.running) return cancelStroke();
  const answer = uid && (await attempt(() => api.undo(uid)));
  if (answer) accept(answer);
}

export async function redo(): Promise<void> {
  const { uid } = get();
  const answer = uid && (await attempt(() => api.redo(uid)));
  if (answer) accept(answer);
}

export async function hideParts(parts: number[]): Promise<void> {
  const { uid } = get();
  const answer = uid && (await attempt(() => api.hide(uid, parts)));
  if (answer) accept(answer);
}

/** Copy a layer in front of itself, or onto another sheet (its settings and masks; paint belongs to its own surface). */
export async function duplicateLayer(layer: string, toSheet: string | null = null): Promise<void> {
  const { uid, project, sheet } = get();
  if (!uid || !project || !sheet) return;
  const answer = await attempt(() => api.duplicate(uid, project.revision, sheet, layer, toSheet));
  if (answer && toSheet) {
    await refresh();
    say(`Copied onto ${findSheet(project.document, toSheet)?.name ?? "the other sheet"}.`);
  } else if (answer) {
    await refresh();
    const t = get().target;
    if (t) set({ target: { ...t, layer: answer.layer, mask: t.mask } });
  }
}

/** Take over what an action on the project answers. */
export async function take(work: (uid: string, revision: number) => Promise<ProjectState>): Promise<boolean> {
  const { uid, project } = get();
  const answer = uid && project ? await attempt(() => work(uid, project.revision)) : null;
  if (answer) accept(answer);
  return answer !== null;
}

/** Write a chunk of a texture that is on its way, before the project says it is so. */
export function showPiece(sheet: string, texture: string, chunk: number, pixels: Uint8Array): void {
  const side = get().project?.document.sheets.find((x) => x.id === sheet)?.resolution;
  if (!stage || !side) return;
  stage.textures(sheet, side).get(texture).writeChunk(chunk, "", pixels);
  stage.draw();
}

export async function runJob(start: () => Promise<Job>): Promise<Job | null> {
  const done = await attempt(async () => followJob(await start(), (job) => set({ job: job.state === "running" ? job : null })));
  set({ job: null });
  return done;
}

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
    values: laid(pick), second: laid(pick ? 0 : 1), mask_value: s.maskValues[pick], second_mask: s.maskValues[pick ? 0 : 1], erase,
    tool: reads ? s.tool : "paint", reach: s.softenReach, reads: s.target?.mesh_map ? "all" : reads ? s.reads : "all", tone: s.tone, smear: s.smear,
    blend: reads || erase || s.target?.mesh_map || s.target?.mask ? "normal" : s.blend, confine: s.confined ? s.confine : START.confine,
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
  stage?.refit();
  void sync();
}

export async function flood(picks: FacePick[] | null, gradient: Gradient | null = null): Promise<void> {
  const s = get();
  if (!s.uid || !s.project || !s.target) return;
  const trouble = targetTrouble(s.project.document, s.target);
  if (trouble) return say(`Nothing filled: ${trouble}.`, true);
  const { uid, project, target, fillStrength } = s;
  const answer = await attempt(() => api.flood(uid, project.revision, target, currentPaint(false), picks, fillStrength, gradient));
  if (answer) accept(answer);
}

// -- strokes --------------------------------------------------------------------------------------------------------------------

export function strokeSender(): StrokeSender | null {
  return sender;
}

export function cancelStroke(): void {
  sender?.cancel();
}

/** Show what a batch of a stroke changed. */
export function showPatches(sheet: string, header: StrokeHeader, bytes: Uint8Array): void {
  const project = get().project;
  const side = project && findSheet(project.document, sheet)?.resolution;
  if (!stage || !side) return;
  const textures = stage.textures(sheet, side);
  for (const p of header.patches) {
    if (textures.has(p.texture)) textures.get(p.texture).write(p.x, p.y, p.width, p.height, bytes.subarray(p.offset, p.offset + p.length));
  }
  for (const s of header.stamps) if (textures.has(s.texture)) textures.get(s.texture).stamps[s.chunk] = s.stamp;
  if (header.dabs) set({ lastStroke: { ms: header.milliseconds / header.dabs, chunks: header.chunks } });
  stage.draw();
}

export async function strokeEnded(dropped = false): Promise<void> {
  const done = busy();
  await attempt(refresh);
  if (dropped) await sync();
  done();
}

/** Textures the next stroke may change: those at hand, and emission once the stroke lights it. */
export function strokeTextures(target: Target): string[] {
  const project = get().project;
  const side = project && findSheet(project.document, target.sheet)?.resolution;
  if (!stage || !side) return [];
  // A touch-up changes its own map's texture; a layer never changes one of a map. Those stay at hand when other maps were looked at.
  if (target.mesh_map) return [`channel:map:${target.mesh_map}`];
  const names = stage.textures(target.sheet, side).names().filter((n) => !n.startsWith("channel:map:"));
  return target.channels.includes("emission") && !names.includes("emission") ? [...names, "emission"] : names;
}

export function strokeFailed(error: unknown): void {
  const status = error instanceof ApiError ? error.status : -1;
  if (status === 0) set({ lost: true });
  say(told(error), true);
  void attempt(refresh).then(() => sync());
}

// -- picking --------------------------------------------------------------------------------------------------------------------

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
