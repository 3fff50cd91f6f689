/** Changing the UV layout, or the mesh, under what is painted. */
import { api } from "../api/client";
import type { Placement, ProbeBody, ProjectState, UnwrapSettings } from "../api/types";
import { runJob, take } from "./edits";
import { refresh } from "./following";
import { textured } from "./layers";
import { say } from "./messages";
import { workshop } from "./workshop";

/** Whether no pixels of a sheet belong to the layout yet; those on vertices do not. */
export function layoutFree(project: ProjectState | null): boolean {
  const sheets = textured(project?.document).map((s) => s.id);
  return (project?.painted ?? []).every((name) => !sheets.includes(name.split("/")[0] ?? ""));
}

/** Give the project layers on its vertices, or take them away. */
export async function addVertexPaint(parts: number[] = []): Promise<void> {
  await take((uid, revision) => api.addVertexPaint(uid, revision, parts));
}

export async function removeVertexPaint(): Promise<void> {
  await take((uid, revision) => api.removeVertexPaint(uid, revision));
}

/** Maps of sheets that a changed layout could not take along, for their values are directions in the old one; empty where there are none. */
export function lostMaps(before: ProjectState | null, after: ProjectState | null): string {
  const gone = textured(before?.document).flatMap((sheet) => {
    const now = after?.document.sheets.find((s) => s.id === sheet.id);
    if (!now) return [];
    const maps = sheet.mesh_maps.filter((m) => !now.mesh_maps.some((x) => x.id === m.id)).map((m) => `${m.id} of ${sheet.name}`);
    return sheet.normal_map && !now.normal_map ? [...maps, `the normal map of ${sheet.name}`] : maps;
  });
  return gone.length ? ` Of the old layout, to be baked or brought again: ${gone.join(", ")}.` : "";
}

/** How much of each sheet is filled, as the server tells after unwrapping or packing. */
function told(result: Record<string, unknown> | undefined): string {
  const shares = Object.values((result?.filled ?? {}) as Record<string, number>);
  return shares.length
    ? ` The islands fill ${shares.map((s) => `${Math.round(s * 100)} %`).join(", ")} of ${shares.length === 1 ? "the sheet" : "the sheets"}.`
    : "";
}

export async function unwrap(resolution: number, settings: UnwrapSettings): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid) return;
  const before = workshop.getState().project;
  const job = await runJob(() => api.unwrap(uid, resolution, settings));
  await refresh();
  if (job?.state === "done") say(`The model is unwrapped.${told(job.result)}${lostMaps(before, workshop.getState().project)}`);
  if (job?.state === "cancelled") say("Stopped. The layout is as it was.");
}

export async function packIslands(padding: number): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid) return;
  const before = workshop.getState().project;
  const job = await runJob(() => api.pack(uid, padding));
  await refresh();
  if (job?.state === "done") say(`The islands are packed.${told(job.result)}${lostMaps(before, workshop.getState().project)}`);
}

/** Paint on another of the file's UV sets. */
export async function paintOnUvSet(number: number): Promise<void> {
  const before = workshop.getState().project;
  if (!(await take((uid, revision) => api.paintOnUvSet(uid, revision, number)))) return;
  await refresh();
  sayLost(before);
}

/** Move, scale or turn the chosen island. */
export async function placeIsland(change: Partial<Placement>): Promise<void> {
  const { island, density } = workshop.getState();
  if (island === null) return;
  const before = workshop.getState().project;
  workshop.setState({ placing: true });
  const placed = await take((uid, revision) => api.place(uid, revision, { islands: [island], ...change }));
  sayLost(before);
  if (!placed) workshop.setState({ placing: false });
  else if (density && change.scale) workshop.setState({ density: { ...density, own: density.own * change.scale } });
}

function sayLost(before: ProjectState | null): void {
  const told = lostMaps(before, workshop.getState().project).trim();
  if (told) say(told);
}

/** Mark the edge under the pointer as a seam, or take its mark off. */
export async function markSeam(at: ProbeBody, loop: boolean): Promise<void> {
  await take((uid, revision) => api.markSeam(uid, revision, at, loop));
}

/** What became of the paint on another mesh. `lost`: faces that found none near them, the first of them in `faces`. */
export interface Swapped {
  relation: string;
  lost: number;
  faces: number[];
  dropped: string[];
}

/** Lay the paint on another mesh; null when it was stopped or refused. */
export async function swapMesh(file: File): Promise<Swapped | null> {
  const { uid } = workshop.getState();
  if (!uid) return null;
  const form = new FormData();
  form.append("file", file, file.name);
  const job = await runJob(() => api.swapMesh(uid, form));
  await refresh();
  if (job?.state !== "done") return null;
  say("The mesh is swapped. Undo brings the old one back, with its paint.");
  return job.result as unknown as Swapped;
}
