/** A stroke of the tool in hand. */
import type { PointerSample, StrokeBegin } from "../../api/types";
import { currentPaint } from "../../state/hand";
import { findSheet, targetTrouble } from "../../state/layers";
import { masks, maskTrouble } from "../../state/masks";
import { say } from "../../state/messages";
import { theSender } from "../../state/sender";
import { theStage } from "../../state/stage";
import { showPatches, strokeEnded, strokeFailed, strokeTextures } from "../../state/strokes";
import { workshop } from "../../state/workshop";
import type { Gesture } from "./gesture";
import { held } from "./held";
import type { Kind, Place, View } from "./view";

/** Where the last stroke in each view ended, for straight lines. */
const lastPoint: Record<Kind, Place | null> = { solid: null, flat: null };

/** None where nothing can be painted; the person is told why. */
export function paintStroke(view: View, e: PointerEvent): Gesture | null {
  const s = workshop.getState();
  const stage = theStage();
  const sender = theSender();
  if (!stage || !sender || !s.project || sender.running) return null;
  const trouble = targetTrouble(s.project.document, s.target) ?? maskTrouble(masks.getState().view, s.target);
  if (trouble || !s.target) {
    say(`Nothing painted: ${trouble}.`, true);
    return null;
  }
  const home = s.target.sheet;
  const side = findSheet(s.project.document, home)?.resolution ?? 0;
  const begin: StrokeBegin = {
    revision: s.project.revision,
    target: s.target,
    brush: { ...s.brush, seed: Math.floor(Math.random() * 2 ** 31) },
    paint: currentPaint(s.tool === "erase", held.other),
    textures: strokeTextures(s.target),
    camera: view.camera(),
    texels_per_pixel: view.kind === "flat" ? side / stage.pan.scale : 1,
    lock_angle: e.shiftKey && e.ctrlKey,
  };
  const first = view.sample(e);
  const from = e.shiftKey ? lastPoint[view.kind] : null;
  const start: PointerSample = from ? { ...first, x: from.x, y: from.y } : first;
  sender.begin(begin, start, {
    patches: (header, bytes) => showPatches(home, header, bytes),
    ended: (dropped) => void strokeEnded(dropped),
    failed: strokeFailed,
  });
  if (from) sender.extend([first]);
  lastPoint[view.kind] = { x: first.x, y: first.y };
  const end = (): void => void theSender()?.end();
  return {
    move(event) {
      const many = event.getCoalescedEvents?.() ?? [];
      const samples = (many.length ? many : [event]).map((one) => view.sample(one));
      theSender()?.extend(samples);
      const last = samples[samples.length - 1];
      if (last) lastPoint[view.kind] = { x: last.x, y: last.y };
    },
    up: end,
    cancel: end,
  };
}
