/** What goes on between a press and its release. */
import type { Place } from "./view";

export interface Gesture {
  /** Shown by the cursor. */
  turns?: boolean;
  /** Where the brush's ring stays, if not under the pointer. */
  ring?: Place;
  /** The pointer came to a place, a way from the one before. */
  move?(e: PointerEvent, now: Place, dx: number, dy: number): void;
  up?(): void;
  /** The system took the pointer away. */
  cancel?(): void;
}
