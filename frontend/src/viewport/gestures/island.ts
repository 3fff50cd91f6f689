/** Off the Paint screen a press chooses the island under it; on the flat sheet a drag then moves it. */
import { api } from "../../api/client";
import { placeIsland } from "../../state/layout";
import { theStage } from "../../state/stage";
import { workshop } from "../../state/workshop";
import { probeAt } from "../../tools/pointer";
import type { Gesture } from "./gesture";
import type { View } from "./view";

/** A drag shorter than this, pixels, moves nothing. */
const LEAST = 4;

export function takeIsland(view: View, e: PointerEvent): Gesture | null {
  const { uid, project, unfold } = workshop.getState();
  // What is unfolded lies nowhere on the model.
  if (unfold && view.kind === "solid") return null;
  const from = view.at(e);
  view.point(from);
  const at = probeAt();
  if (!uid || !at || !project?.document.sheets.length) return null;
  const taking = choose(uid, at);
  if (view.kind !== "flat") return null;
  let to = from;
  return {
    move(_, now) {
      to = now;
    },
    async up() {
      // A quick hand lets go before the answer to its press is there; the island of that press moves, not the one before.
      await taking;
      const stage = theStage();
      const side = view.side();
      if (!stage || !side || workshop.getState().island === null || Math.hypot(to.x - from.x, to.y - from.y) < LEAST) return;
      const [x0, y0] = stage.pan.toTexel(from.x, from.y, side);
      const [x1, y1] = stage.pan.toTexel(to.x, to.y, side);
      await placeIsland({ move: [(x1 - x0) / side, (y0 - y1) / side] });
    },
  };
}

async function choose(uid: string, at: NonNullable<ReturnType<typeof probeAt>>): Promise<void> {
  const found = await api.probe(uid, { ...at, island: true }).catch(() => null);
  const island = found?.layout_island ?? -1;
  const density = island >= 0 && found?.density ? { own: found.density, others: found.other_density ?? null } : null;
  workshop.setState({ island: island >= 0 ? island : null, density, highlight: island >= 0 ? new Set(found?.faces ?? []) : null });
}
