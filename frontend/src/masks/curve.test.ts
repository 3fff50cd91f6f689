import { describe, expect, it } from "vitest";
import { curveThrough } from "./curve";

describe("the curve of the editor", () => {
  it("goes through its points, level outside them", () => {
    const line = curveThrough(
      [
        [0.2, 0.1],
        [0.5, 0.7],
        [0.8, 0.9],
      ],
      10,
    );
    expect(line[0]).toEqual([0, 0.1]);
    expect(line[2]?.[1]).toBeCloseTo(0.1);
    expect(line[5]?.[1]).toBeCloseTo(0.7);
    expect(line[8]?.[1]).toBeCloseTo(0.9);
    expect(line[10]).toEqual([1, 0.9]);
  });
  it("is the identity for points on the diagonal", () => {
    for (const [x, y] of curveThrough(
      [
        [0, 0],
        [0.3, 0.3],
        [1, 1],
      ],
      20,
    ))
      expect(y).toBeCloseTo(x, 9);
  });
  it("never overshoots", () => {
    const line = curveThrough(
      [
        [0, 0],
        [0.45, 0.02],
        [0.55, 0.98],
        [1, 1],
      ],
      200,
    );
    line.slice(1).forEach(([, y], i) => expect(y).toBeGreaterThanOrEqual((line[i]?.[1] ?? 0) - 1e-12));
  });
  it("agrees with the server's curve at a place between points", () => {
    // PCHIP of SciPy through (0, 0), (0.25, 0.6), (1, 1) at 0.5 and 0.1.
    const at = (x: number): number =>
      curveThrough(
        [
          [0, 0],
          [0.25, 0.6],
          [1, 1],
        ],
        1000,
      )[Math.round(x * 1000)]?.[1] ?? 0;
    expect(at(0.5)).toBeCloseTo(0.81217828, 6);
    expect(at(0.1)).toBeCloseTo(0.290969492, 6);
  });
});
