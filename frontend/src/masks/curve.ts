/** The line that the curve editor draws; the server computes with the same curve. */

type Point = readonly [number, number];

/** Monotone cubic through points left to right (Fritsch and Butland 1984), level outside them, at `count` + 1 even places. */
export function curveThrough(points: readonly Point[], count: number): [number, number][] {
  const n = points.length;
  const x = points.map((p) => p[0]);
  const y = points.map((p) => p[1]);
  const h = x.slice(1).map((v, i) => v - (x[i] ?? 0));
  const slope = h.map((w, i) => ((y[i + 1] ?? 0) - (y[i] ?? 0)) / w);
  const tangent = x.map((_, i) => {
    const a = slope[i - 1];
    const b = slope[i];
    if (a === undefined || b === undefined) return edge(h, slope, i === 0);
    if (a * b <= 0) return 0;
    const w1 = 2 * (h[i] ?? 0) + (h[i - 1] ?? 0);
    const w2 = (h[i] ?? 0) + 2 * (h[i - 1] ?? 0);
    return (w1 + w2) / (w1 / a + w2 / b);
  });
  return Array.from({ length: count + 1 }, (_, k) => {
    const at = k / count;
    if (at <= (x[0] ?? 0)) return [at, y[0] ?? 0];
    if (at >= (x[n - 1] ?? 1)) return [at, y[n - 1] ?? 1];
    const i = Math.max(0, x.findIndex((v) => v > at) - 1);
    const w = h[i] ?? 1;
    const t = (at - (x[i] ?? 0)) / w;
    const value =
      (y[i] ?? 0) * (1 + 2 * t) * (1 - t) ** 2 +
      (y[i + 1] ?? 0) * t * t * (3 - 2 * t) +
      w * ((tangent[i] ?? 0) * t * (1 - t) ** 2 - (tangent[i + 1] ?? 0) * t * t * (1 - t));
    return [at, Math.min(1, Math.max(0, value))];
  });
}

/** Three-point slope at an end, kept from overshooting. */
function edge(h: number[], slope: number[], first: boolean): number {
  const [h0, h1] = first ? [h[0] ?? 1, h[1]] : [h[h.length - 1] ?? 1, h[h.length - 2]];
  const [s0, s1] = first ? [slope[0] ?? 0, slope[1]] : [slope[slope.length - 1] ?? 0, slope[slope.length - 2]];
  if (h1 === undefined || s1 === undefined) return s0;
  const d = ((2 * h0 + h1) * s0 - h0 * s1) / (h0 + h1);
  if (Math.sign(d) !== Math.sign(s0)) return 0;
  return Math.sign(s0) !== Math.sign(s1) && Math.abs(d) > 3 * Math.abs(s0) ? 3 * s0 : d;
}
