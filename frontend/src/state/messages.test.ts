import { beforeEach, describe, expect, it, vi } from "vitest";
import { dismiss, markRead, messages, readingTime, say } from "./messages";

describe("messages", () => {
  beforeEach(() => {
    vi.useFakeTimers();
    messages.setState({ list: [], shown: null, unread: 0 });
  });

  it("stay in the list when they have left the screen", () => {
    say("8 strokes replayed.");
    dismiss();
    say("The disk is full.", true);
    dismiss();
    const { list, shown, unread } = messages.getState();
    expect(list.map((m) => m.text)).toEqual(["8 strokes replayed.", "The disk is full."]);
    expect(shown).toBeNull();
    expect(unread).toBe(1);
    markRead();
    expect(messages.getState().unread).toBe(0);
  });

  it("good news does not push a trouble off the screen before it can be read", () => {
    say("The disk is full.", true);
    say("Kept as Lid.");
    expect(messages.getState().shown?.text).toBe("The disk is full.");
    say("That layer is gone.", true);
    expect(messages.getState().shown?.text).toBe("That layer is gone.");
    vi.advanceTimersByTime(7000);
    say("Kept as Lid.");
    expect(messages.getState().shown?.text).toBe("Kept as Lid.");
    expect(messages.getState().list).toHaveLength(4);
  });

  it("long ones stay longer, and the list has an end", () => {
    say("Short.");
    say("x".repeat(160));
    const [short = 0, long = 0] = messages.getState().list.map(readingTime);
    expect(long).toBeGreaterThan(short + 8000);
    for (let i = 0; i < 200; i++) say(`n ${i}`);
    expect(messages.getState().list).toHaveLength(100);
    expect(messages.getState().list.at(-1)?.text).toBe("n 199");
  });
});
