/** A press or drag that picks a colour for an adjustment: the mean of what it goes over. */
import { pickedAlong } from "../../state/adjusting";
import { theStage } from "../../state/stage";
import { workshop } from "../../state/workshop";
import type { Gesture } from "./gesture";
import type { View } from "./view";

/** More places than this say no more about a mean. */
const MOST = 600;

export function pickColour(view: View, e: PointerEvent): Gesture {
  const side = view.side();
  const place = (x: number, y: number): [number, number] => (view.kind === "flat" && side ? (theStage()?.pan.toTexel(x, y, side) ?? [x, y]) : [x, y]);
  const first = view.at(e);
  const points: [number, number][] = [place(first.x, first.y)];
  const { sheet } = workshop.getState();
  const over = view.kind === "solid" ? theStage()?.hit(first.x, first.y)?.sheet : sheet;
  return {
    move: (_, now) => {
      if (points.length < MOST) points.push(place(now.x, now.y));
    },
    up: () => void pickedAlong(over ?? sheet ?? "", view.camera(), points),
  };
}
