/** Sends a stroke in batches: one request in flight, and what the hand does meanwhile waits for the next. */
import { api } from "../api/client";
import type { PointerSample, StrokeBegin, StrokeHeader } from "../api/types";
import { busy } from "../state/idle";

export interface StrokeEvents {
  patches: (header: StrokeHeader, bytes: Uint8Array) => void;
  ended: () => void;
  failed: (error: unknown) => void;
}

interface Running {
  id: string;
  begin: StrokeBegin | undefined;
  waiting: PointerSample[];
  last: boolean;
  dropped: boolean;
  events: StrokeEvents;
  release: () => void;
}

/** Samples in one message stay below the server's limit. */
const BATCH = 1000;

export class StrokeSender {
  private now: Running | null = null;
  private sending = false;
  private count = 0;

  constructor(private readonly uid: string) {}

  get running(): boolean {
    return this.now !== null;
  }

  begin(begin: StrokeBegin, first: PointerSample, events: StrokeEvents): boolean {
    if (this.now) return false;
    this.count += 1;
    const id = `s${Date.now().toString(36)}${this.count}`;
    this.now = { id, begin, waiting: [first], last: false, dropped: false, events, release: busy() };
    void this.pump();
    return true;
  }

  extend(samples: PointerSample[]): void {
    if (!this.now || this.now.last) return;
    this.now.waiting.push(...samples);
    void this.pump();
  }

  end(): void {
    if (!this.now) return;
    this.now.last = true;
    void this.pump();
  }

  /** Drop the stroke: what it changed so far is not stored. */
  cancel(): void {
    if (!this.now) return;
    this.now.dropped = true;
    void this.pump();
  }

  private async pump(): Promise<void> {
    const run = this.now;
    if (!run || this.sending || (!run.waiting.length && !run.last && !run.dropped && !run.begin)) return;
    this.sending = true;
    const points = run.waiting.splice(0, BATCH);
    const end = run.last && !run.waiting.length;
    try {
      if (run.dropped && run.begin) {
        this.finish(run);
        return;
      }
      const message = run.dropped ? { stroke: run.id, cancel: true } : { stroke: run.id, points, end, ...(run.begin ? { begin: run.begin } : {}) };
      run.begin = undefined;
      const answer = await api.stroke(this.uid, message);
      if (!run.dropped || message.cancel) run.events.patches(answer.header, answer.bytes);
      if (end || message.cancel) {
        this.finish(run);
        run.events.ended();
      }
    } catch (error) {
      this.finish(run);
      run.events.failed(error);
    } finally {
      this.sending = false;
    }
    if (this.now) void this.pump();
  }

  private finish(run: Running): void {
    this.now = null;
    run.release();
  }
}
