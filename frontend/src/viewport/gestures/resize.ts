/** Sideways sizes the brush, up and down its hardness; the ring stays where it was pressed. */
import { setBrush } from "../../state/hand";
import { workshop } from "../../state/workshop";
import type { Gesture } from "./gesture";
import type { Place } from "./view";

export function resizeBrush(still: Place): Gesture {
  return {
    ring: still,
    move(_, __, dx, dy) {
      const { brush } = workshop.getState();
      const factor = Math.exp(dx * 0.012);
      const size = brush.size_unit === "view" ? Math.min(600, Math.max(2, brush.size * factor)) : Math.min(1, Math.max(0.002, brush.size * factor));
      const hardness = Math.min(1, Math.max(0, brush.hardness - dy * 0.005));
      setBrush({ size: Math.round(size * 1000) / 1000, hardness: Math.round(hardness * 1000) / 1000 });
    },
  };
}
