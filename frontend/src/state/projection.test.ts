import { describe, expect, it } from "vitest";
import type { Projection } from "../api/types";
import { edgeOf, withEdge } from "./projection";

const planar: Projection = {
  mode: "planar",
  size: 0.4,
  turn: 0,
  shift: [0, 0],
  repeat: true,
  sharpness: 6,
  centre: [1, 2, 3],
  facing: [0, 0, 2],
  through: false,
};

describe("the edge of a picture on the model", () => {
  it("lies half a repeat to the right, turned with the picture", () => {
    expect(edgeOf(planar, 10)).toEqual([3, 2, 3]);
    const turned = edgeOf({ ...planar, turn: 90 }, 10);
    expect(turned[0]).toBeCloseTo(1);
    expect(turned[1]).toBeCloseTo(4);
  });
  it("gives size and turn back", () => {
    for (const [size, turn, facing] of [
      [0.2, 30, [1, 0, 0]],
      [0.7, -120, [0, 1, 0]],
      [0.05, 179, [0.3, -0.5, 0.8]],
    ] as [number, number, [number, number, number]][]) {
      const p = { ...planar, size, turn, facing };
      const back = withEdge({ ...p, size: 1, turn: 0 }, edgeOf(p, 10), 10);
      expect(back.size).toBeCloseTo(size);
      expect(back.turn).toBeCloseTo(turn);
    }
  });
  it("changes only the size of a picture from three sides", () => {
    const back = withEdge({ ...planar, mode: "three-way", turn: 15 }, [1, 2, 8], 10);
    expect(back.size).toBeCloseTo(1);
    expect(back.turn).toBe(15);
  });
});
