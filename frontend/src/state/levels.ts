/** Levels of vertex paint: how dense its vertices are, and what the next level would take. */
import { api } from "../api/client";
import type { LevelBody, ModelFacts, Sheet } from "../api/types";
import { runJob } from "./edits";
import { refresh } from "./following";
import { say } from "./messages";
import { workshop } from "./workshop";

/** Paint at another level; what finer levels hold comes back when the level is raised again. */
export async function setLevel(sheet: Sheet, change: Partial<LevelBody>): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid) return;
  const { level, subdivision, sharp_deg, file_creases } = sheet;
  const job = await runJob(() => api.level(uid, { sheet: sheet.id, level, subdivision, sharp_deg, file_creases, ...change }));
  await refresh();
  workshop.setState({ model: await api.model(uid) });
  if (job?.state === "done" && change.level !== undefined && change.level !== level) say(`${sheet.name} is at level ${change.level}.`);
}

type Facts = ModelFacts["sheets"][number]["levels"];

/** What a level comes to, in words; null for one that there is not. */
export function toldLevel(levels: Facts, level: number): string | null {
  const found = levels?.find((l) => l.level === level);
  if (!found) return null;
  const size = found.bytes < 1 << 30 ? `${Math.max(1, Math.round(found.bytes / (1 << 20)))} MiB` : `${(found.bytes / (1 << 30)).toFixed(1)} GiB`;
  return `${found.faces.toLocaleString()} faces, ${found.vertices.toLocaleString()} vertices, about ${size} of memory`;
}

/** Whether a brush is so fine, or its edge, that strokes would show the mesh instead of its shape: under three vertices across. */
export function tooCoarse(radius: number, density: number | undefined): boolean {
  return density !== undefined && density > 0 && radius * density < 1.5;
}
