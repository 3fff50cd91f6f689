/** Faces picked by box, lasso, colour or id colour, to fill them, to confine strokes to them, or to keep them under a name. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { Camera, ColourGroupsBody, FacePick, FaceGroup } from "../api/types";
import { edit, take } from "./edits";
import { currentPaint } from "./hand";
import { say } from "./messages";
import { theStage } from "./stage";
import { workshop } from "./workshop";
import type { RGB } from "./workshop";

export interface OutlineState {
  kind: "solid" | "flat";
  /** Pixels of the view. */
  points: [number, number][];
  adds: boolean;
}

/** The box or lasso that is being drawn. */
export const outline = createStore<{ now: OutlineState | null; behind: boolean }>(() => ({ now: null, behind: false }));

export function startOutline(kind: "solid" | "flat", at: [number, number], adds: boolean): void {
  outline.setState({ now: { kind, points: [at], adds } });
}

export function extendOutline(at: [number, number]): void {
  const { now } = outline.getState();
  const first = now?.points[0];
  if (!now || !first) return;
  const box: [number, number][] = [first, [at[0], first[1]], at, [first[0], at[1]]];
  outline.setState({ now: { ...now, points: workshop.getState().fillBy === "box" ? box : [...now.points, at] } });
}

/** Ask which faces the outline holds; with Shift they join those picked before. */
export async function endOutline(camera: Camera | null, side: number): Promise<void> {
  const { now, behind } = outline.getState();
  outline.setState({ now: null });
  const { uid, sheet, picked, highlight } = workshop.getState();
  const stage = theStage();
  if (!now || now.points.length < 3 || !uid || !sheet || !stage) return;
  const every = Math.max(1, Math.ceil(now.points.length / 1500));
  const points = now.points.filter((_, i) => i % every === 0);
  try {
    const found =
      now.kind === "solid" && camera
        ? await api.lasso(uid, { camera }, points, behind)
        : await api.lasso(
            uid,
            { sheet },
            points.map(([x, y]) => stage.pan.toTexel(x, y, side)),
            false,
          );
    if (!found.picks.length) return say("No face lies inside. Draw around the faces to pick.");
    const before = now.adds ? picked : [];
    const faces = now.adds && highlight ? [...highlight, ...found.faces] : found.faces;
    showPicked([...before, ...found.picks], faces);
  } catch (error) {
    say((error as Error).message, true);
  }
}

/** Keep picks at hand and show their faces. */
export function showPicked(picked: FacePick[], faces: number[] | null): void {
  workshop.setState({ picked, highlight: picked.length && faces ? new Set(faces) : null });
}

/** Fill everything that looks like the place under the pointer, or has its id colour. */
export async function gatherFaces(by: "colour" | "id", at: Parameters<typeof api.probe>[1]): Promise<void> {
  const { uid, target, fillStrength, confine } = workshop.getState();
  if (!uid || !target) return;
  const found = await api.probe(uid, { ...at, values: true }).catch(() => null);
  const colour = found?.values?.[by === "id" ? "map:id" : "base_color"] as RGB | undefined;
  if (!colour) return say(by === "id" ? "There is no id colour there. Bake the id map first." : "There is no surface there.", true);
  const paint = currentPaint(false);
  const picked = by === "id" ? { ids: [colour] } : { colours: [colour] };
  const narrowed = {
    ...paint,
    confine: {
      ...paint.confine,
      ...picked,
      colours_from: "shows" as const,
      tolerance: confine.tolerance,
      colour_softness: by === "id" ? 0 : confine.colour_softness,
    },
  };
  await take((id, revision) => api.flood(id, revision, target, narrowed, null, fillStrength));
}

// -- kept under a name ----------------------------------------------------------------------------------------------------------

export function faceSets(): FaceGroup[] {
  return (workshop.getState().project?.document.face_sets ?? []) as FaceGroup[];
}

export async function keepPicked(name: string): Promise<void> {
  const { picked } = workshop.getState();
  const sets = faceSets();
  const old = sets.find((s) => s.name === name);
  let n = sets.length + 1;
  while (sets.some((s) => s.id === `f${n}`)) n += 1;
  const kept: FaceGroup = { id: old?.id ?? `f${n}`, name, picks: picked };
  const next = old ? sets.map((s) => (s.id === old.id ? kept : s)) : [...sets, kept];
  if (await edit(old ? `Replace the face group ${name}` : `Keep the face group ${name}`, { edit: "set-face-sets", face_sets: next }))
    say(`Kept as ${name}.`);
}

export async function dropSet(id: string): Promise<void> {
  const sets = faceSets();
  await edit(`Remove the face group ${sets.find((s) => s.id === id)?.name ?? ""}`, {
    edit: "set-face-sets",
    face_sets: sets.filter((s) => s.id !== id),
  });
}

/** Keep faces as groups by what is painted: those near the current colour, or all by the colours there are. */
export async function groupsFromColours(wanted: Omit<ColourGroupsBody, "revision" | "colour">, near: boolean): Promise<void> {
  const before = faceSets().length;
  const colour = near ? ([...workshop.getState().colours[workshop.getState().other ? 1 : 0]] as RGB) : null;
  if (!(await take((uid, revision) => api.colourGroups(uid, revision, { ...wanted, colour })))) return;
  const made = faceSets().length - before;
  say(near ? "The faces of this colour are a group now." : `${made} groups were made; press one to take its faces up.`);
}
