/** Filling: by a press, an outline around faces, or a gradient drawn over the model. */
import { api } from "../../api/client";
import type { FacePick } from "../../api/types";
import { say } from "../../state/messages";
import { endOutline, extendOutline, gatherFaces, startOutline } from "../../state/picking";
import { theStage } from "../../state/stage";
import { flood } from "../../state/strokes";
import { workshop } from "../../state/workshop";
import { probeAt } from "../../tools/pointer";
import type { Gesture } from "./gesture";
import type { View } from "./view";

type Point = [number, number, number];

export function pressFill(view: View, e: PointerEvent): Gesture | null {
  const { fillBy } = workshop.getState();
  if (fillBy === "box" || fillBy === "lasso") return outline(view, e);
  if (fillBy === "gradient") return gradient(view, e);
  void fillHere();
  return null;
}

function outline(view: View, e: PointerEvent): Gesture {
  const at = view.at(e);
  startOutline(view.kind, [at.x, at.y], e.shiftKey);
  return {
    move: (_, now) => extendOutline([now.x, now.y]),
    up: () => void endOutline(view.camera(), view.side()),
  };
}

function gradient(view: View, e: PointerEvent): Gesture | null {
  const at = view.kind === "solid" ? (view.surface(view.at(e)) as Point | null) : null;
  if (!at) {
    say("Draw the gradient over the model in the 3D view.", true);
    return null;
  }
  workshop.setState({ gradient: { form: workshop.getState().gradient?.form ?? "line", start: at, end: at } });
  return {
    move(_, now) {
      const end = theStage()?.hit(now.x, now.y)?.position.toArray() as Point | undefined;
      const drawn = workshop.getState().gradient;
      if (end && drawn) workshop.setState({ gradient: { ...drawn, end } });
    },
  };
}

async function fillHere(): Promise<void> {
  const { fillBy, uid, target } = workshop.getState();
  const at = probeAt();
  if (!uid || !at) return;
  if (fillBy === "sheet") return flood(null);
  if (fillBy === "colour" || fillBy === "id") return gatherFaces(fillBy, at);
  const found = await api.probe(uid, at).catch((error: Error) => {
    say(error.message, true);
    return null;
  });
  if (!found?.hit || !found.belongs) return;
  if (target && found.sheet && found.sheet !== target.sheet) {
    return say("That place is on another sheet than the target. Choose a target there first.", true);
  }
  const index = found.belongs[fillBy];
  if (index === undefined || index < 0) return say(`Nothing there belongs to a ${fillBy === "group" ? "face group" : fillBy}.`, true);
  await flood([{ by: fillBy, index } as FacePick]);
}
