import { describe, expect, it } from "vitest";
import type { PointerSample } from "../api/types";
import { joined } from "./curve";
import vectors from "./curve.vectors.json";

describe("the curve ahead of the server", () => {
  it.each(vectors)("is the server's: $name", ({ samples, unit, points }) => {
    const given: PointerSample[] = samples.map(([x = 0, y = 0, pressure = 1, time = 0]) => ({ x, y, pressure, time }));
    const made = joined(given, unit).flat();
    expect(made.length).toBe(points.length);
    made.forEach((p, i) => p.forEach((v, k) => expect(v).toBeCloseTo(points[i]?.[k] ?? NaN, 6)));
  });
});
