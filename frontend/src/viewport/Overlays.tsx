/** What lies over the views while lines are shaped, faces are drawn around and gradients are laid. */
import { useRef } from "react";
import * as THREE from "three";
import { useStore } from "zustand";
import { useWorkshop } from "../state/hooks";
import { outline } from "../state/picking";
import { holdPoint, movePoint, shaping } from "../state/shaping";
import type { Point } from "../state/shaping";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { useDrawn } from "./useDrawn";

type Kind = "solid" | "flat";

function onScreen(kind: Kind, points: Point[], side: number): [number, number][] {
  const stage = theStage();
  if (!stage) return [];
  if (kind === "solid") return stage.project(points.map((p) => new THREE.Vector3(...(p as [number, number, number]))));
  return points.map((p) => stage.pan.toPixel(p[0] ?? 0, p[1] ?? 0, side));
}

interface HandleProps {
  name: string;
  at: [number, number];
  first: boolean;
  onMove: (x: number, y: number) => void;
  onHold?: (held: boolean) => void;
}

function Handle({ name, at, first, onMove, onHold }: HandleProps) {
  return (
    <circle
      className="handle"
      role="button"
      aria-label={name}
      cx={at[0]}
      cy={at[1]}
      r={7}
      fill={first ? "#222" : "#fff"}
      stroke="var(--target)"
      strokeWidth={2.5}
      onPointerDown={(e) => {
        e.currentTarget.setPointerCapture(e.pointerId);
        onHold?.(true);
      }}
      onPointerMove={(e) => {
        if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
        const box = e.currentTarget.ownerSVGElement?.getBoundingClientRect();
        if (box) onMove(e.clientX - box.left, e.clientY - box.top);
      }}
      onPointerUp={(e) => {
        e.currentTarget.releasePointerCapture(e.pointerId);
        onHold?.(false);
      }}
    />
  );
}

/** The points of a line that is being shaped. */
export function ShapeHandles({ kind, side = 0 }: { kind: Kind; side?: number }) {
  useDrawn();
  const points = useStore(shaping, (s) => s.points);
  const view = useStore(shaping, (s) => s.view);
  const closed = useStore(shaping, (s) => s.closed);
  const stamp = useWorkshop((s) => s.tool === "stamp");
  const element = useRef<SVGSVGElement>(null);
  if (view !== kind || !points.length) return null;
  const places = onScreen(kind, points, side);
  const move = (index: number, x: number, y: number): void => {
    const stage = theStage();
    const box = element.current?.getBoundingClientRect();
    if (!stage || !box) return;
    const at = kind === "flat" ? stage.pan.toTexel(x, y, side) : stage.hit(x, y)?.position.toArray();
    if (at) movePoint(index, at, kind === "solid" ? stage.orbit.describe(box.width, box.height) : null);
  };
  const d = places.length > 1 ? `M${places.map((p) => p.map((v) => v.toFixed(1)).join(" ")).join("L")}${closed && !stamp ? "Z" : ""}` : "";
  return (
    <svg ref={element} className="over handles">
      <path d={d} fill="none" stroke="#000" strokeOpacity={0.45} strokeWidth={3} strokeDasharray="1 5" strokeLinecap="round" />
      <path d={d} fill="none" stroke="var(--target)" strokeWidth={1.4} strokeDasharray="1 5" strokeLinecap="round" />
      {places.map((p, i) => (
        <Handle
          key={i}
          name={`Point ${i + 1} of the ${stamp ? "stamp" : "line"}`}
          at={p}
          first={i === 0}
          onMove={(x, y) => move(i, x, y)}
          onHold={holdPoint}
        />
      ))}
    </svg>
  );
}

/** The box or lasso that is being drawn. */
export function OutlineView({ kind }: { kind: Kind }) {
  const now = useStore(outline, (s) => s.now);
  if (!now || now.kind !== kind || now.points.length < 2) return null;
  const d = `M${now.points.map((p) => p.join(" ")).join("L")}Z`;
  return (
    <svg className="over">
      <path d={d} fill="var(--target)" fillOpacity={0.12} stroke="#000" strokeOpacity={0.5} strokeWidth={3} />
      <path d={d} fill="none" stroke="#fff" strokeWidth={1.3} strokeDasharray="5 4" />
    </svg>
  );
}

/** The two ends of a gradient fill. */
export function GradientHandles() {
  useDrawn();
  const gradient = useWorkshop((s) => (s.tool === "fill" && s.fillBy === "gradient" ? s.gradient : null));
  if (!gradient) return null;
  const [a, b] = onScreen("solid", [gradient.start, gradient.end], 0);
  if (!a || !b) return null;
  const move = (end: "start" | "end", x: number, y: number): void => {
    const at = theStage()?.hit(x, y)?.position.toArray() as [number, number, number] | undefined;
    const now = workshop.getState().gradient;
    if (at && now) workshop.setState({ gradient: { ...now, [end]: at } });
  };
  const d = `M${a.join(" ")}L${b.join(" ")}`;
  return (
    <svg className="over handles">
      <path d={d} stroke="#000" strokeOpacity={0.5} strokeWidth={4} />
      <path d={d} stroke="var(--target)" strokeWidth={2} />
      <Handle name="Start of the gradient fill" at={a} first onMove={(x, y) => move("start", x, y)} />
      <Handle name="End of the gradient fill" at={b} first={false} onMove={(x, y) => move("end", x, y)} />
    </svg>
  );
}
