/** Turning and moving the views. */
import { theStage } from "../../state/stage";
import type { Gesture } from "./gesture";
import type { View } from "./view";

export function turnView(): Gesture {
  return {
    turns: true,
    move(_, __, dx, dy) {
      theStage()?.orbit.turn(dx, dy);
      theStage()?.draw();
    },
  };
}

export function moveView(view: View): Gesture {
  return {
    turns: true,
    move(_, __, dx, dy) {
      const stage = theStage();
      if (!stage) return;
      if (view.kind === "solid") stage.orbit.move(dx, dy, view.element.getBoundingClientRect().height);
      else {
        stage.pan.x += dx;
        stage.pan.y += dy;
      }
      stage.draw();
    },
  };
}

/** The wheel brings nearer and further. */
export function approach(view: View, e: WheelEvent): void {
  const stage = theStage();
  if (!stage) return;
  const p = view.at(e);
  const factor = Math.exp(Math.sign(e.deltaY) * Math.min(Math.abs(e.deltaY), 120) * 0.0016);
  if (view.kind === "solid") stage.orbit.approach(factor);
  else stage.pan.zoom(1 / factor, p.x, p.y);
  stage.draw();
}
