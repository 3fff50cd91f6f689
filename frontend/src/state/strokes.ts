/** Strokes and fills on their way to the server, and what comes back of them. */
import { api, ApiError } from "../api/client";
import { busy } from "../api/idle";
import type { FacePick, Gradient, StrokeHeader, Target } from "../api/types";
import { attempt, told } from "./attempt";
import { accept, refresh, sync } from "./following";
import { currentPaint } from "./hand";
import { findSheet, targetTrouble } from "./layers";
import { say } from "./messages";
import { theSender } from "./sender";
import { theStage } from "./stage";
import { workshop } from "./workshop";

const { getState: get, setState: set } = workshop;

export async function flood(picks: FacePick[] | null, gradient: Gradient | null = null): Promise<void> {
  const s = get();
  if (!s.uid || !s.project || !s.target) return;
  const trouble = targetTrouble(s.project.document, s.target);
  if (trouble) return say(`Nothing filled: ${trouble}.`, true);
  const { uid, project, target, fillStrength } = s;
  const answer = await attempt(() => api.flood(uid, project.revision, target, currentPaint(false), picks, fillStrength, gradient));
  if (answer) accept(answer);
}

export function cancelStroke(): void {
  theSender()?.cancel();
}

/** Show what a batch of a stroke changed. */
export function showPatches(sheet: string, header: StrokeHeader, bytes: Uint8Array): void {
  const project = get().project;
  const side = project && findSheet(project.document, sheet)?.resolution;
  const stage = theStage();
  if (!stage || !side) return;
  const textures = stage.textures(sheet, side);
  for (const p of header.patches) {
    if (textures.has(p.texture)) textures.get(p.texture).write(p.x, p.y, p.width, p.height, bytes.subarray(p.offset, p.offset + p.length));
  }
  for (const s of header.versions) if (textures.has(s.texture)) textures.get(s.texture).versions[s.chunk] = s.version;
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
  const stage = theStage();
  if (!stage || !side) return [];
  // A touch-up changes its own map's texture; a layer never changes one of a map. Those stay at hand when other maps were looked at.
  if (target.mesh_map) return [`channel:map:${target.mesh_map}`];
  const names = stage
    .textures(target.sheet, side)
    .names()
    .filter((n) => !n.startsWith("channel:map:"));
  return target.channels.includes("emission") && !names.includes("emission") ? [...names, "emission"] : names;
}

export function strokeFailed(error: unknown): void {
  const status = error instanceof ApiError ? error.status : -1;
  if (status === 0) set({ lost: true });
  say(told(error), true);
  void attempt(refresh).then(() => sync());
}
