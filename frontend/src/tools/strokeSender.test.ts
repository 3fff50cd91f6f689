import { beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { PointerSample, StrokeBegin, StrokeHeader, StrokeMessage } from "../api/types";
import { StrokeSender } from "./strokeSender";

const sample = (x: number): PointerSample => ({ x, y: 0, pressure: 1, time: 0 });
const begin = { revision: 1 } as StrokeBegin;
const header = { patches: [], stamps: [], dabs: 1 } as unknown as StrokeHeader;

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
});
