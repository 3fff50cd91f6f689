/**
 * Sends a stroke in batches: one request in flight, and what the hand does meanwhile waits for the next.
 * A line or stamp that is being shaped is sent whole each time; of several states that wait only the last counts.
 */
import { api } from "../api/client";
import { busy } from "../api/idle";
import type { PointerSample, Shape, StrokeBegin, StrokeHeader } from "../api/types";

export interface StrokeEvents {
  patches: (header: StrokeHeader, bytes: Uint8Array) => void;
  /** `dropped`: nothing was stored, and what was shown is to be taken back. */
  ended: (dropped: boolean) => void;
  failed: (error: unknown) => void;
}

interface Running {
  id: string;
  begin: StrokeBegin | undefined;
  shape: Shape | undefined;
  view: "solid" | "flat";
  waiting: PointerSample[];
  /** The last samples that an answer has shown: the curve goes on from them. */
  shown: PointerSample[];
  /** Samples of the request in flight. */
  sent: PointerSample[];
  shaped: boolean;
  last: boolean;
  dropped: boolean;
  events: StrokeEvents;
  release: () => void;
}

/** Samples in one message stay below the server's limit. */
const BATCH = 1000;

export class StrokeSender {
  /** Told whenever samples went out or an answer came. */
  readonly onPending = new Set<() => void>();
  private now: Running | null = null;
  private sending = false;
  private count = 0;

  constructor(private readonly uid: string) {}

  get running(): boolean {
    return this.now !== null;
  }

  /** Whether a line or stamp is being shaped. */
  get shaping(): boolean {
    return this.now?.shaped ?? false;
  }

  /** The view the stroke is made in. */
  get view(): "solid" | "flat" | null {
    return this.now?.view ?? null;
  }

  /** Samples that no answer has shown yet. */
  get pending(): PointerSample[] {
    return this.now && !this.now.shaped ? [...this.now.sent, ...this.now.waiting] : [];
  }

  /** The last samples that were shown, up to four. The server is one sample behind: the way to the last is still to come. */
  get shown(): PointerSample[] {
    return this.now && !this.now.shaped ? this.now.shown : [];
  }

  begin(begin: StrokeBegin, first: PointerSample, events: StrokeEvents): boolean {
    return this.start({ begin, waiting: [first], shaped: false }, events);
  }

  /** Lay a shape, or what it has become meanwhile. */
  shape(begin: StrokeBegin, shape: Shape, events: StrokeEvents): boolean {
    if (!this.now) return this.start({ begin, shape, waiting: [], shaped: true }, events);
    if (!this.now.shaped || this.now.last || this.now.dropped) return false;
    this.now.begin = begin;
    this.now.shape = shape;
    void this.pump();
    return true;
  }

  private start(what: Pick<Running, "begin" | "waiting" | "shaped"> & { shape?: Shape }, events: StrokeEvents): boolean {
    if (this.now) return false;
    this.count += 1;
    const id = `s${Date.now().toString(36)}${this.count}`;
    this.now = {
      id,
      view: what.begin?.camera ? "solid" : "flat",
      shape: undefined,
      shown: [],
      sent: [],
      last: false,
      dropped: false,
      events,
      ...what,
      release: what.shaped ? () => undefined : busy(),
    };
    void this.pump();
    return true;
  }

  extend(samples: PointerSample[]): void {
    if (!this.now || this.now.last) return;
    this.now.waiting.push(...samples);
    this.tell();
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
    const shape = run.shape;
    run.sent = points;
    this.tell();
    run.shape = undefined;
    // A shape ends with a message of its own, once its last state is laid.
    const end = run.last && !run.waiting.length && !(run.shaped && shape);
    try {
      if (run.dropped && run.begin) {
        this.finish(run);
        return;
      }
      const message = run.dropped
        ? { stroke: run.id, cancel: true }
        : { stroke: run.id, points, end, ...(run.begin ? { begin: run.begin } : {}), ...(shape ? { shape } : {}) };
      run.begin = undefined;
      const answer = await api.stroke(this.uid, message);
      for (const p of points) {
        const before = run.shown.at(-1);
        // A hand that rests goes on sending its place; the curve knows it once.
        if (before?.x === p.x && before.y === p.y) run.shown.pop();
        run.shown.push(p);
      }
      run.shown = run.shown.slice(-4);
      run.sent = [];
      this.tell();
      if (!run.dropped || message.cancel) run.events.patches(answer.header, answer.bytes);
      if (end || message.cancel) {
        this.finish(run);
        run.events.ended(Boolean(message.cancel));
      }
    } catch (error) {
      this.finish(run);
      run.events.failed(error);
    } finally {
      this.sending = false;
    }
    if (this.now) void this.pump();
  }

  private tell(): void {
    for (const listener of this.onPending) listener();
  }

  private finish(run: Running): void {
    this.now = null;
    this.tell();
    run.release();
  }
}
