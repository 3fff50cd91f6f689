/** What sends the strokes of the open project. */
import type { StrokeSender } from "./strokeSender";

let sender: StrokeSender | null = null;

export function theSender(): StrokeSender | null {
  return sender;
}

export function setSender(now: StrokeSender | null): void {
  sender = now;
}
