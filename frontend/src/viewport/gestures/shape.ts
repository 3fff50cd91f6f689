/** Lines and stamps, point by point. */
import { say } from "../../state/messages";
import { addPoint, beginShape, confirm, movePoint, shaping } from "../../state/shaping";
import { theStage } from "../../state/stage";
import { workshop } from "../../state/workshop";
import type { Gesture } from "./gesture";
import type { Place, View } from "./view";

/** A little way before the first drag counts, pixels, so that a click is a click. */
const CLICK = 3;
const STEP = Math.PI / 12;

/** With Ctrl a line keeps to steps of 15 degrees from one of its points, as the view shows it. */
function locked(view: View, at: number[], e: PointerEvent, from: number[] | undefined): number[] {
  const stage = theStage();
  if (!e.ctrlKey || !from || !stage) return at;
  const pointer = view.at(e);
  const a = view.kind === "flat" ? (from as [number, number]) : stage.projectPoint(from as [number, number, number]);
  const b: [number, number] = view.kind === "flat" ? [at[0] ?? 0, at[1] ?? 0] : [pointer.x, pointer.y];
  const angle = Math.round(Math.atan2(b[1] - a[1], b[0] - a[0]) / STEP) * STEP;
  const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
  const to: [number, number] = [a[0] + Math.cos(angle) * length, a[1] + Math.sin(angle) * length];
  return view.kind === "flat" ? to : (stage.hit(to[0], to[1])?.position.toArray() ?? at);
}

/** A press begins a line or stamp, or sets its next point. None where it cannot. */
export function drawShape(view: View, e: PointerEvent): Gesture | null {
  const pressed: Place = view.at(e);
  const at = view.surface(pressed);
  if (!at) {
    say("There is no surface there. Begin on the model or on the sheet.", true);
    return null;
  }
  const stamp = workshop.getState().tool === "stamp";
  const begun = shaping.getState();
  if (begun.points.length && (stamp || begun.view !== view.kind)) void confirm();
  const laid = shaping.getState().points;
  if (laid.length) addPoint(locked(view, at, e, laid[laid.length - 1]), view.camera());
  else if (!beginShape(view.kind, at, view.camera())) return null;
  return {
    move(event, now) {
      const place = view.surface(now);
      if (!place) return;
      const points = shaping.getState().points;
      if (points.length === 1) {
        const far = Math.hypot(now.x - pressed.x, now.y - pressed.y) > CLICK;
        if (far) addPoint(locked(view, place, event, stamp ? points[0] : undefined), view.camera());
      } else if (points.length) {
        movePoint(points.length - 1, locked(view, place, event, points[points.length - (stamp ? 1 : 2)]), view.camera());
      }
    },
    up: () => stamp && void confirm(),
  };
}
