import { useRef, useState } from "react";
import { curveThrough } from "./curve";

type Point = [number, number];
const SIDE = 150;

/** A curve from old values (across) to new ones (up). Drag a point; press between to add one; twice on one takes it away. */
export function CurveEditor({
  points,
  onTry,
  onTake,
}: {
  points: readonly Point[];
  onTry: (points: Point[]) => void;
  onTake: (points: Point[]) => void;
}) {
  const svg = useRef<SVGSVGElement>(null);
  const [held, setHeld] = useState<number | null>(null);
  const at = (e: React.PointerEvent): Point => {
    const box = svg.current?.getBoundingClientRect();
    if (!box) return [0, 0];
    const clip = (v: number): number => Math.round(Math.min(1, Math.max(0, v)) * 1000) / 1000;
    return [clip((e.clientX - box.left) / box.width), clip(1 - (e.clientY - box.top) / box.height)];
  };
  const moved = (i: number, [x, y]: Point): Point[] => {
    const left = i > 0 ? (points[i - 1]?.[0] ?? 0) + 0.01 : 0;
    const right = i < points.length - 1 ? (points[i + 1]?.[0] ?? 1) - 0.01 : 1;
    return points.map((p, k) => (k === i ? [Math.min(right, Math.max(left, x)), y] : [...p])) as Point[];
  };
  const down = (e: React.PointerEvent): void => {
    const [x, y] = at(e);
    const near = points.findIndex((p) => Math.hypot(p[0] - x, p[1] - y) < 0.06);
    (e.target as Element).setPointerCapture?.(e.pointerId);
    if (near >= 0) return setHeld(near);
    const list = [...points.map((p) => [...p] as Point), [x, y] as Point].sort((a, b) => a[0] - b[0]);
    if (list.length > 16 || list.some((p, i) => i > 0 && p[0] - (list[i - 1]?.[0] ?? 0) < 0.005)) return;
    setHeld(list.findIndex((p) => p[0] === x && p[1] === y));
    onTry(list);
  };
  const line = curveThrough(points, 64).map(([x, y]) => `${(x * SIDE).toFixed(1)} ${((1 - y) * SIDE).toFixed(1)}`);
  return (
    <svg
      ref={svg}
      className="curve"
      viewBox={`0 0 ${SIDE} ${SIDE}`}
      role="group"
      aria-label="Curve"
      onPointerDown={down}
      onPointerMove={(e) => held !== null && onTry(moved(held, at(e)))}
      onPointerUp={(e) => {
        if (held !== null) onTake(moved(held, at(e)));
        setHeld(null);
      }}
    >
      <path className="guide" d={`M0 ${SIDE}L${SIDE} 0M${SIDE / 2} 0V${SIDE}M0 ${SIDE / 2}H${SIDE}`} />
      <path className="line" d={`M${line.join("L")}`} />
      {points.map((p, i) => (
        <circle
          key={i}
          cx={p[0] * SIDE}
          cy={(1 - p[1]) * SIDE}
          r={5}
          tabIndex={0}
          role="slider"
          aria-label={`Point ${i + 1} of the curve`}
          aria-valuenow={Math.round(p[1] * 100)}
          aria-valuetext={`${Math.round(p[0] * 100)} becomes ${Math.round(p[1] * 100)}`}
          onDoubleClick={() => points.length > 2 && onTake(points.filter((_, k) => k !== i).map((q) => [...q]))}
          onKeyDown={(e) => {
            const step: Record<string, Point> = { ArrowUp: [0, 0.02], ArrowDown: [0, -0.02], ArrowLeft: [-0.02, 0], ArrowRight: [0.02, 0] };
            const by = step[e.key];
            if (!by) return;
            e.preventDefault();
            onTake(moved(i, [p[0] + by[0], Math.min(1, Math.max(0, p[1] + by[1]))]));
          }}
        />
      ))}
    </svg>
  );
}
