/** What the hand has drawn and no answer has shown yet, so that the line never lags the pen. The true paint takes its place. */
import { useEffect, useRef } from "react";
import type { PointerSample } from "../api/types";
import { toHex } from "../state/colour";
import { useWorkshop } from "../state/hooks";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { joined } from "../tools/curve";
import { theSender } from "../state/sender";

/** How far the way of a tool that lays no colour of its own is lightened: seen, and gone without a flash. */
const VEIL = 0.16;

export function Ahead({ kind, side = 0 }: { kind: "solid" | "flat"; side?: number }) {
  const group = useRef<SVGGElement>(null);
  const uid = useWorkshop((s) => s.project?.uid);
  useEffect(() => {
    const sender = theSender();
    if (!sender) return;
    const draw = (): void => {
      if (group.current) group.current.innerHTML = ahead(kind, sender.shown, sender.pending, side);
    };
    sender.onPending.add(draw);
    return () => {
      sender.onPending.delete(draw);
    };
  }, [kind, side, uid]);
  return (
    <svg className="over" data-testid={`ahead-${kind}`}>
      <g ref={group} />
    </svg>
  );
}

/** A path as wide as the brush along the curve that the server will draw. Pressure narrows it as it narrows the dabs. */
function ahead(kind: "solid" | "flat", shown: PointerSample[], pending: PointerSample[], side: number): string {
  // The first dab is there; only what comes after it is still ahead.
  if (!pending.length && shown.length < 2) return "";
  const samples = [...shown, ...pending];
  const { brush, colours, other, tool, target, maskValues } = workshop.getState();
  const stage = theStage();
  if (!stage || theSender()?.view !== kind) return "";
  const seen = samples.map((p) => {
    const [x, y] = kind === "flat" ? stage.pan.toPixel(p.x, p.y, side) : [p.x, p.y];
    return { ...p, x, y };
  });
  // What is shown ends a sample before the last of its own.
  const pieces = joined(seen);
  const start =
    shown.length > 1
      ? pieces
          .slice(0, shown.length - 1)
          .flat()
          .slice(-1)
      : [];
  const places = [...start, ...pieces.slice(Math.max(shown.length - 1, 0)).flat()].map(([x, y]) => [x, y] as [number, number]);
  const first = places[0];
  if (!first) return "";
  const scale = kind === "flat" ? stage.pan.scale / Math.max(side, 1) : 1;
  const hit = kind === "solid" ? stage.hit(first[0], first[1]) : null;
  const wide =
    brush.size_unit === "view"
      ? brush.size
      : kind === "solid"
        ? hit
          ? (brush.size * stage.width) / stage.pixelSize(hit.position)
          : 0
        : brush.size * stage.width * scale;
  const curve = brush.pressure_size;
  const pressure = samples[samples.length - 1]?.pressure ?? 1;
  const width = wide * (curve.on ? curve.low + (1 - curve.low) * pressure ** curve.gamma : 1) * (0.4 + 0.6 * brush.hardness);
  const grey = Math.round(maskValues[other ? 1 : 0] * 255);
  // Only the brush's paint is known before the answer; what other tools make of the surface is veiled where they go.
  const lays = tool === "brush";
  const colour = !lays ? "#fff" : target?.mask ? `rgb(${grey},${grey},${grey})` : toHex(colours[other ? 1 : 0]);
  const opacity = lays ? brush.strength * Math.min(1, brush.flow * 1.3) * 0.7 : VEIL;
  const d = `M${places.map((p) => p.map((v) => v.toFixed(1)).join(" ")).join("L")}${places.length === 1 ? "h0.01" : ""}`;
  return `<path d="${d}" fill="none" stroke="${colour}" stroke-opacity="${opacity.toFixed(2)}" stroke-width="${width.toFixed(1)}" stroke-linecap="round" stroke-linejoin="round"/>`;
}
