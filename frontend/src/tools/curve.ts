/**
 * The curve through pointer samples, as the server draws it (core/brush/_curve_kernels.py), for what is seen before its answer.
 * `curve.vectors.json` holds what the server makes of some strokes; the tests compare.
 */
import type { PointerSample } from "../api/types";

const CORNER_COS = 0.5;
const CORNER_SPEED = 400;
const SLOW_PX = 4;
const NUDGE_PX = 0.5;
const FLAT_PX = 0.05;
const MOST_PIECES = 64;

/** Place and pressure. */
export type CurvePoint = [number, number, number];

const far = (a: CurvePoint, b: CurvePoint): number => Math.hypot(b[0] - a[0], b[1] - a[1]);

/** The curve from a to b, without a, with tangents (in units of a root of length) where there are any. */
function piece(a: CurvePoint, b: CurvePoint, from: CurvePoint | null, to: CurvePoint | null, unit: number): CurvePoint[] {
  const chord = far(a, b);
  const root = Math.sqrt(chord);
  const direction: [number, number] = [(b[0] - a[0]) / chord, (b[1] - a[1]) / chord];
  const known = (t: CurvePoint | null): CurvePoint | null => t && [(t[0] * root) / 3, (t[1] * root) / 3, (t[2] * root) / 3];
  // An end that nobody tells a tangent mirrors the other's, as an arc does.
  const free = (other: CurvePoint | null): CurvePoint => {
    if (!other) return [(direction[0] * chord) / 3, (direction[1] * chord) / 3, (b[2] - a[2]) / 3];
    const along = 2 * (other[0] * direction[0] + other[1] * direction[1]);
    return [along * direction[0] - other[0], along * direction[1] - other[1], (b[2] - a[2]) / 3];
  };
  const first = known(from);
  const second = known(to);
  const out = first ?? free(second);
  const into = second ?? free(first);
  let bend = 0;
  for (const side of [0, 1]) {
    const d = [0, 1].map((k) => {
      const p = (a[k] ?? 0) + (out[k] ?? 0);
      const q = (b[k] ?? 0) - (into[k] ?? 0);
      return side === 0 ? (a[k] ?? 0) - 2 * p + q : p - 2 * q + (b[k] ?? 0);
    }) as [number, number];
    bend = Math.max(bend, Math.abs(d[0] * direction[1] - d[1] * direction[0]));
  }
  const pieces = Math.min(Math.max(Math.ceil(Math.sqrt((0.75 * bend) / (FLAT_PX * unit))), 1), MOST_PIECES);
  const points: CurvePoint[] = [];
  for (let i = 1; i < pieces; i++) {
    const t = i / pieces;
    const s = 1 - t;
    const at = ([0, 1, 2] as const).map(
      (k) => s * s * s * a[k] + 3 * s * s * t * (a[k] + out[k]) + 3 * s * t * t * (b[k] - into[k]) + t * t * t * b[k],
    );
    const pressure = Math.min(Math.max(at[2] ?? 0, Math.min(a[2], b[2])), Math.max(a[2], b[2]));
    points.push([at[0] ?? 0, at[1] ?? 0, pressure]);
  }
  points.push(b);
  return points;
}

/**
 * The curve from sample to sample, to the last: the points that end at each of them, none for samples that do not move it.
 * `unit`: of a pixel of the view.
 */
export function joined(samples: PointerSample[], unit = 1): CurvePoint[][] {
  const found: CurvePoint[][] = [];
  let knot: CurvePoint | null = null;
  let knotTime = 0;
  let next: CurvePoint | null = null;
  let nextTime = 0;
  let nextIndex = 0;
  let tangent: CurvePoint | null = null;
  samples.forEach((sample, index) => {
    const now: CurvePoint = [sample.x, sample.y, sample.pressure];
    found.push([]);
    const take = (): void => {
      next = now;
      nextTime = sample.time;
      nextIndex = index;
    };
    if (!next) {
      take();
      found[index] = [now];
      return;
    }
    if (far(next, now) <= 1e-6 * unit) {
      next = [next[0], next[1], now[2]];
      nextTime = sample.time;
      return;
    }
    if (!knot) {
      knot = next;
      knotTime = nextTime;
      take();
      return;
    }
    let b: CurvePoint = next;
    if (far(knot, b) <= SLOW_PX * unit && far(b, now) <= SLOW_PX * unit) {
      const move: [number, number] = [0.25 * (knot[0] + now[0]) - 0.5 * b[0], 0.25 * (knot[1] + now[1]) - 0.5 * b[1]];
      const share = Math.min((NUDGE_PX * unit) / Math.max(Math.hypot(...move), 1e-300), 1);
      b = [b[0] + share * move[0], b[1] + share * move[1], b[2]];
    }
    const back = far(knot, b);
    const step = far(b, now);
    if (back <= 1e-6 * unit || step <= 1e-6 * unit) {
      take();
      return;
    }
    const cosine = ((b[0] - knot[0]) * (now[0] - b[0]) + (b[1] - knot[1]) * (now[1] - b[1])) / (back * step);
    const taken = sample.time - knotTime;
    const smooth = cosine >= CORNER_COS || (taken > 0 && back + step > CORNER_SPEED * unit * taken);
    const p = Math.sqrt(back);
    const q = Math.sqrt(step);
    const a: CurvePoint = knot;
    const here = ([0, 1, 2] as const).map((k) => (b[k] - a[k]) / p - (now[k] - a[k]) / (p + q) + (now[k] - b[k]) / q) as CurvePoint;
    found[nextIndex] = piece(a, b, tangent, smooth ? here : null, unit);
    tangent = smooth ? here : null;
    knot = b;
    knotTime = nextTime;
    take();
  });
  if (knot && next && far(knot, next) > 1e-6 * unit) found[nextIndex] = piece(knot, next, tangent, null, unit);
  return found;
}
