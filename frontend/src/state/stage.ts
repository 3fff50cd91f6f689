/** The views, once they are there: whoever draws them says so here. State knows their shape only, nothing of how they draw. */
import type { Stage } from "../viewport/stage";

let stage: Stage | null = null;

export function theStage(): Stage | null {
  return stage;
}

export function setStage(now: Stage | null): void {
  stage = now;
}
