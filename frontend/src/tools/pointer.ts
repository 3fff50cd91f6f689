/** Where the pointer is over the views, for commands that act on what lies under it. */
import { api } from "../api/client";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";

let place: { kind: "solid" | "flat"; x: number; y: number; width: number; height: number } | null = null;

export function pointerOver(kind: "solid" | "flat" | null, x = 0, y = 0, width = 0, height = 0): void {
  place = kind ? { kind, x, y, width, height } : null;
}

/** The request that asks what lies under the pointer, or null when it is over neither view. */
export function probeAt(): Parameters<typeof api.probe>[1] | null {
  const stage = theStage();
  const { project, sheet } = workshop.getState();
  if (!place || !stage) return null;
  // Vertex paint and sheets cover the same surface: the one that is shown is meant.
  if (place.kind === "solid") return { camera: stage.orbit.describe(place.width, place.height), x: place.x, y: place.y, sheet };
  const shown = project?.document.sheets.find((s) => s.id === sheet);
  if (!sheet || shown?.of !== "texels") return null;
  const side = shown.resolution;
  const [x, y] = stage.pan.toTexel(place.x, place.y, side);
  return { sheet, x, y };
}

/** The part under the pointer. */
export async function hovered(): Promise<number | null> {
  const { uid } = workshop.getState();
  const at = probeAt();
  if (!uid || !at) return null;
  const found = await api.probe(uid, at).catch(() => null);
  return found?.belongs?.part ?? null;
}
