/** Opening a project, and following what it becomes: here, in other windows, and on the views. */
import { api } from "../api/client";
import { busy } from "../api/idle";
import type { ProjectState, Sheet } from "../api/types";
import { attempt, onStale, told } from "./attempt";
import { findLayer, findSheet, firstTarget, partIn, rows } from "./layers";
import { say } from "./messages";
import { setSender, theSender } from "./sender";
import { theStage } from "./stage";
import { StrokeSender } from "./strokeSender";
import { SUSPECTS, textureOf } from "./textureNames";
import { START, workshop } from "./workshop";
import type { WorkshopState } from "./workshop";

const { getState: get, setState: set } = workshop;

let poll = 0;
let syncing: Promise<void> | null = null;
let again = false;

export async function openProject(uid: string): Promise<void> {
  set({ ...START, ...inHand(), uid });
  const done = busy();
  await attempt(async () => {
    const project = await api.state(uid);
    const sheet = project.document.sheets[0];
    setSender(new StrokeSender(uid));
    set({ project, sheet: sheet?.id ?? null, target: sheet ? firstTarget(sheet) : null, storedAt: project.updated_at });
    if (picksAway(project)) await followHidden(project);
    theStage()?.beginGeometry(await api.geometry(uid), true);
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
    const stage = theStage();
    if (get().uid !== uid || !stage) return;
    stage.addSheet(answer);
    showLook();
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
  if (!uid || !project || document.hidden || theSender()?.running) return;
  try {
    const revision = await api.revision(uid);
    if (get().lost) {
      set({ lost: false });
      say("The server is back. Everything you had stored is here.");
    }
    if (revision !== get().project?.revision && !theSender()?.running) await refresh();
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
  if (target?.mesh_map ? !home : !row || (target?.mask && !row.layer.mask?.sources.some((x) => x.id === target?.mask)))
    target = sheet ? firstTarget(sheet) : null;
  const ids = (p: ProjectState): string =>
    p.document.sheets
      .map((x) => `${x.id}/${x.of}/${x.level}/${x.subdivision}/${x.sharp_deg ?? ""}/${x.file_creases}/${x.parts?.join("+") ?? ""}`)
      .join();
  if (s.project && (s.project.model !== project.model || ids(s.project) !== ids(project))) void reloadModel(project.uid);
  if (picksAway(s.project) !== picksAway(project)) void followHidden(project);
  set({ project, sheet: sheet?.id ?? null, target, storedAt: project.updated_at, lost: false });
}

/** Which faces are hidden one by one, as far as that can change what shows. */
function picksAway(project: ProjectState | null): string {
  const document = project?.document;
  return document?.hidden_picks?.length || document?.shown_picks?.length
    ? JSON.stringify([project?.model, document.hidden_picks, document.shown_picks])
    : "";
}

async function followHidden(project: ProjectState): Promise<void> {
  if (!picksAway(project)) return set({ hiddenFaces: null });
  const done = busy();
  await attempt(async () => {
    const { runs } = await api.hiddenFaces(project.uid);
    const faces = new Set<number>();
    for (let i = 0; i < runs.length; i += 2) for (let k = 0; k < (runs[i + 1] ?? 0); k++) faces.add((runs[i] ?? 0) + k);
    if (get().uid === project.uid) set({ hiddenFaces: faces });
  });
  done();
}

/** Another UV layout came: the views need its triangles, and the lists its facts. */
async function reloadModel(uid: string): Promise<void> {
  const done = busy();
  await attempt(async () => {
    const header = await api.geometry(uid);
    if (get().uid !== uid) return;
    theStage()?.beginGeometry(header, false);
    // An island placed by hand stays the chosen one; another layout has other islands.
    set(get().placing ? { placing: false } : { island: null, density: null, highlight: null });
    showLook();
    await loadSheets(uid);
    theStage()?.refit();
    set({ model: await api.model(uid) });
  });
  done();
}

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
  })()
    .catch((error: unknown) => say(told(error), true))
    .finally(() => {
      syncing = null;
      done();
    });
  return syncing;
}

async function syncOnce(): Promise<void> {
  const { project, uid, sheet } = get();
  const stage = theStage();
  if (!project || !uid || !stage) return;
  const ordered = [...project.document.sheets].sort((a, b) => Number(b.id === sheet) - Number(a.id === sheet));
  for (const s of ordered.filter((x) => stage.has(x.id))) {
    const textures = stage.textures(s.id, s.resolution);
    const wanted = wantedTextures(s);
    for (const names of [wanted.slice(0, 1), wanted.slice(1)]) {
      const have = Object.fromEntries(names.map((n) => [n, textures.get(n).versions]));
      const answer = await api.display(uid, s.id, names, have);
      if (get().uid !== uid || theStage() !== stage) return;
      for (const t of answer.header.tiles)
        textures.get(t.texture).writeChunk(t.chunk, t.version, answer.bytes.subarray(t.offset, t.offset + t.length));
      stage.draw();
    }
    stage.setSheetTraits(s.id, uses(s, "opacity") && s.alpha_mode !== "opaque", s.alpha_mode === "mask" ? s.alpha_cutoff : 0, uses(s, "emission"));
  }
  showLook();
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
  if (name.startsWith("channel:catch:")) {
    const [owner = "", range] = name.slice("channel:catch:".length).split(":");
    const layer = sheet.id === get().maskSheet ? findLayer(sheet, owner) : undefined;
    return layer?.kind === "adjust" && (!range || (layer.ranges ?? []).some((r) => r.id === range));
  }
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
    return (
      part.on &&
      (layer.kind === "fill"
        ? part.value != null || part.content != null || part.role != null
        : layer.kind === "adjust"
          ? false
          : painted.includes(`${sheet.id}/${layer.id}/${channel}`))
    );
  });
}

export function showLook(): void {
  const s = get();
  const stage = theStage();
  const extra = s.mode === "channel" ? textureOf(s.channel) : null;
  for (const name of [extra, s.over && textureOf(s.over)]) {
    if (name && s.project && stage)
      for (const sheet of s.project.document.sheets) if (hasTexture(sheet, name)) stage.textures(sheet.id, sheet.resolution).get(name);
  }
  stage?.apply({
    mode: s.mode,
    channel: s.channel,
    lightDeg: s.lightDeg,
    wire: s.wire,
    flatSheet: s.sheet,
    hiddenParts: s.project?.document.hidden_parts ?? [],
    hiddenFaces: s.hiddenFaces,
    highlight: s.highlight,
    suspects: s.suspects,
    tinted: s.project?.document.settings.multiply_vertex_colours ?? false,
    over: s.over,
    maskSheet: s.maskSheet,
    unfold: s.unfold,
  });
}

/** What the hand keeps from project to project. */
function inHand(): Pick<WorkshopState, "brush" | "colours" | "softenReach" | "tone" | "smear"> {
  const { brush, colours, softenReach, tone, smear } = get();
  return { brush, colours, softenReach, tone, smear };
}

/** Write a chunk of a texture that is on its way, before the project says it is so. */
export function showPiece(sheet: string, texture: string, chunk: number, pixels: Uint8Array): void {
  const side = get().project?.document.sheets.find((x) => x.id === sheet)?.resolution;
  const stage = theStage();
  if (!stage || !side) return;
  stage.textures(sheet, side).get(texture).writeChunk(chunk, "", pixels);
  stage.draw();
}

onStale(refresh);
