import { beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { PointerSample, Shape, StrokeBegin, StrokeHeader, StrokeMessage } from "../api/types";
import { StrokeSender } from "./strokeSender";

const sample = (x: number): PointerSample => ({ x, y: 0, pressure: 1, time: 0 });
const begin = { revision: 1 } as StrokeBegin;
const header = { patches: [], versions: [], dabs: 1 } as unknown as StrokeHeader;

/** A server that answers when told. */
class Server {
  sent: StrokeMessage[] = [];
  private answers: (() => void)[] = [];
  private failing: Error | null = null;

  constructor() {
    vi.spyOn(api, "stroke").mockImplementation((_uid, message) => {
      this.sent.push(structuredClone(message));
      return new Promise((resolve, reject) => {
        this.answers.push(() => (this.failing ? reject(this.failing) : resolve({ header, bytes: new Uint8Array() })));
      });
    });
  }

  async answer(): Promise<void> {
    this.answers.shift()?.();
    await new Promise((r) => setTimeout(r, 0));
  }

  fail(error: Error): void {
    this.failing = error;
  }
}

describe("StrokeSender", () => {
  let server: Server;
  let sender: StrokeSender;
  const events = { patches: vi.fn(), ended: vi.fn(), failed: vi.fn() };

  beforeEach(() => {
    vi.clearAllMocks();
    server = new Server();
    sender = new StrokeSender("abc");
  });

  it("keeps one request in flight and gathers what comes meanwhile", async () => {
    sender.begin(begin, sample(0), events);
    sender.extend([sample(1)]);
    sender.extend([sample(2), sample(3)]);
    expect(server.sent).toHaveLength(1);
    expect(server.sent[0]?.begin).toEqual(begin);
    await server.answer();
    expect(server.sent).toHaveLength(2);
    expect(server.sent[1]?.points?.map((p) => p.x)).toEqual([1, 2, 3]);
    expect(server.sent[1]?.begin).toBeUndefined();
    expect(events.patches).toHaveBeenCalledTimes(1);
  });

  it("sends every sample once, in order, and ends with the last", async () => {
    sender.begin(begin, sample(0), events);
    for (let i = 1; i < 2500; i++) sender.extend([sample(i)]);
    sender.end();
    for (let i = 0; i < 6; i++) await server.answer();
    const all = server.sent.flatMap((m) => m.points?.map((p) => p.x) ?? []);
    expect(all).toEqual(Array.from({ length: 2500 }, (_, i) => i));
    expect(server.sent.map((m) => m.end)).toEqual([false, false, false, true]);
    expect(server.sent.every((m) => (m.points?.length ?? 0) <= 1000)).toBe(true);
    expect(events.ended).toHaveBeenCalledTimes(1);
    expect(sender.running).toBe(false);
  });

  it("takes no second stroke before the first has ended", async () => {
    expect(sender.begin(begin, sample(0), events)).toBe(true);
    expect(sender.begin(begin, sample(9), events)).toBe(false);
    sender.end();
    await server.answer();
    await server.answer();
    expect(sender.begin(begin, sample(9), events)).toBe(true);
  });

  it("drops a stroke with one message", async () => {
    sender.begin(begin, sample(0), events);
    sender.extend([sample(1)]);
    sender.cancel();
    await server.answer();
    await server.answer();
    expect(server.sent.at(-1)).toEqual({ stroke: server.sent[0]?.stroke, cancel: true });
    expect(sender.running).toBe(false);
  });

  it("stops and tells when the server fails", async () => {
    server.fail(new ApiError("Gone.", 0));
    sender.begin(begin, sample(0), events);
    await server.answer();
    expect(events.failed).toHaveBeenCalledTimes(1);
    expect(sender.running).toBe(false);
    sender.extend([sample(1)]);
    sender.end();
    expect(server.sent).toHaveLength(1);
  });

  it("sends of several states of a shape only the last, and ends with a message of its own", async () => {
    const shape = (n: number): Shape => ({ kind: "line", surface: [[n, 0, 0]] }) as unknown as Shape;
    sender.shape(begin, shape(1), events);
    expect(sender.shaping).toBe(true);
    sender.shape(begin, shape(2), events);
    sender.shape({ ...begin, revision: 2 }, shape(3), events);
    await server.answer();
    sender.end();
    await server.answer();
    await server.answer();
    expect(server.sent.map((m) => m.shape?.surface[0]?.[0])).toEqual([1, 3, undefined]);
    expect(server.sent.map((m) => m.begin?.revision)).toEqual([1, 2, undefined]);
    expect(server.sent.map((m) => m.end)).toEqual([false, false, true]);
    expect(events.ended).toHaveBeenCalledWith(false);
    expect(sender.running).toBe(false);
  });

  it("tells what is in flight until it is answered", async () => {
    const told: number[] = [];
    sender.onPending.add(() => told.push(sender.pending.length));
    sender.begin({ ...begin, camera: {} } as StrokeBegin, sample(0), events);
    sender.extend([sample(1), sample(2)]);
    expect(sender.view).toBe("solid");
    expect(sender.pending.map((p) => p.x)).toEqual([0, 1, 2]);
    await server.answer();
    expect(sender.pending.map((p) => p.x)).toEqual([1, 2]);
    await server.answer();
    expect(sender.pending).toEqual([]);
    expect(told.at(-1)).toBe(0);
  });

  it("says of a dropped stroke that it was dropped", async () => {
    sender.begin(begin, sample(0), events);
    sender.cancel();
    await server.answer();
    await server.answer();
    expect(events.ended).toHaveBeenCalledWith(true);
  });

  it("remembers the last places it has shown, each once however long the hand rests", async () => {
    sender.begin(begin, sample(1), events);
    await server.answer();
    expect(sender.shown.map((p) => p.x)).toEqual([1]);
    sender.extend([sample(2), sample(3), sample(3), sample(3)]);
    await server.answer();
    expect(sender.shown.map((p) => p.x)).toEqual([1, 2, 3]);
    sender.extend([sample(3), sample(4), sample(5)]);
    expect(sender.pending.map((p) => p.x)).toEqual([3, 4, 5]);
    await server.answer();
    expect(sender.shown.map((p) => p.x)).toEqual([2, 3, 4, 5]);
  });
});
