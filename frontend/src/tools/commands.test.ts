import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { workshop } from "../state/workshop";
import { commands, handleKey, hint, keyOf, keyText, pressed, pressUnderKey, rebind, releaseKey, resetKeys } from "./commands";

const press = (key: string, more: Partial<KeyboardEvent> = {}): KeyboardEvent =>
  ({
    key,
    ctrlKey: false,
    shiftKey: false,
    metaKey: false,
    target: { closest: () => null },
    preventDefault: vi.fn(),
    ...more,
  }) as unknown as KeyboardEvent;

const tools = [
  ["brush", "b"],
  ["erase", "e"],
  ["soften", "o"],
  ["smear", "m"],
  ["clone", "c"],
  ["pick", "p"],
].map(([id, key]) => ({ id, key, name: id }));

describe("commands", () => {
  beforeEach(() => workshop.setState({ registries: { tools } as never }));
  afterEach(resetKeys);

  it("have names, groups and keys of their own", () => {
    expect(new Set(commands().map((c) => c.id)).size).toBe(commands().length);
    const keys = commands().map((c) => c.key);
    expect(new Set(keys).size).toBe(keys.length);
    expect(commands().every((c) => c.label && c.group)).toBe(true);
  });

  it("are run by their keys", () => {
    expect(handleKey(press("e"))).toBe(true);
    expect(workshop.getState().tool).toBe("erase");
    expect(handleKey(press("B".toLowerCase()))).toBe(true);
    expect(workshop.getState().tool).toBe("brush");
    expect(handleKey(press("F9"))).toBe(false);
  });

  it("of tools are only borrowed while they are held for a press", () => {
    const tool = (): string => workshop.getState().tool;
    const hold = (key: string, ms: number, ...does: string[]): string => {
      handleKey(press("b", { timeStamp: 0 }));
      releaseKey({ key: "b", timeStamp: 1 });
      handleKey(press(key, { timeStamp: 1000 }));
      for (const type of does) pressUnderKey({ type });
      releaseKey({ key, timeStamp: 1000 + ms });
      return tool();
    };
    expect(hold("e", 40)).toBe("erase");
    expect(hold("e", 4000)).toBe("erase");
    expect(hold("e", 40, "pointerdown", "pointerup")).toBe("brush");
    expect(hold("e", 900, "pointerdown")).toBe("brush");
    // The next stroke began before the finger left the key.
    expect(hold("e", 120, "pointerdown")).toBe("erase");
    // The end of a stroke that began before the key.
    expect(hold("e", 900, "pointerup")).toBe("erase");
  });

  it("leave typing alone", () => {
    const typing = press("e", { target: { closest: (s: string) => (s.includes("input") ? {} : null) } as unknown as EventTarget });
    expect(handleKey(typing)).toBe(false);
  });

  it("change the brush within its range", () => {
    for (let i = 0; i < 80; i++) handleKey(press("d"));
    expect(workshop.getState().brush.size).toBe(600);
    for (let i = 0; i < 80; i++) handleKey(press("a"));
    expect(workshop.getState().brush.size).toBe(2);
    for (let i = 0; i < 20; i++) handleKey(press("A", { shiftKey: true }));
    expect(workshop.getState().brush.hardness).toBe(0);
    handleKey(press("x"));
    expect(workshop.getState().brush.mirror).toEqual({ x: true, y: false, z: false, around: 1, axis: "y" });
    handleKey(press("x"));
  });

  it("swap colours, or mask values when a mask is the target", () => {
    const { colours } = workshop.getState();
    handleKey(press("s"));
    expect(workshop.getState().colours).toEqual([colours[1], colours[0]]);
    workshop.setState({ target: { sheet: "s", layer: "l", channels: [], mask: "m", mesh_map: null }, maskValues: [1, 0] });
    handleKey(press("s"));
    expect(workshop.getState().maskValues).toEqual([0, 1]);
    workshop.setState({ target: null });
  });

  it("can be rebound; the command that had the key loses it", () => {
    expect(rebind("erase", "b")?.id).toBe("brush");
    expect(keyOf("brush")).toBe("");
    handleKey(press("b"));
    expect(workshop.getState().tool).toBe("erase");
    resetKeys();
    expect(keyOf("brush")).toBe("b");
  });

  it("are written as people read them", () => {
    expect(keyText("Ctrl+Shift+z")).toBe("Ctrl+Shift+Z");
    expect(keyText("ArrowUp")).toBe("↑");
    expect(pressed(press("Z", { ctrlKey: true, shiftKey: true }))).toBe("Ctrl+Shift+z");
    expect(hint("Brush", "brush")).toBe("Brush (B)");
    expect(hint("Just words")).toBe("Just words");
  });
});
