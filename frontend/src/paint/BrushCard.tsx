import { Tooltip } from "@mui/material";
import { useMemo, useState } from "react";
import type { Brush } from "../api/types";
import { setBrush } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { hint } from "../tools/commands";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

const EVERYDAY = ["size", "strength", "flow", "hardness", "spacing"];
const KEYS: Record<string, string> = { size: "larger", hardness: "harder", strength: "stronger" };
const PRESSURES = [
  ["pressure_size", "size"],
  ["pressure_flow", "flow"],
  ["pressure_strength", "strength"],
] as const;

/** The brush. The server tells which sliders there are. */
export function BrushCard() {
  const parameters = useWorkshop((s) => s.registries?.brush_parameters);
  const brush = useWorkshop((s) => s.brush);
  const first = useWorkshop((s) => s.registries?.brush);
  const [more, setMore] = useState(false);
  return (
    <section className="card" aria-label="Brush settings">
      <div className="chead">
        <h2>Brush</h2>
        <span className="right">
          <Toggle on={more} onToggle={() => setMore(!more)}>
            All settings
          </Toggle>
        </span>
      </div>
      <BrushPreview brush={brush} />
      {parameters
        ?.filter((p) => p.section !== "limits" && (more || EVERYDAY.includes(p.id)))
        .map((p) =>
          p.id === "size" && brush.size_unit === "object"
            ? { ...p, low: 0.002, high: 1, unit: "percent" as const, hint: "Diameter as a share of the model" }
            : p,
        )
        .map((p) => (
          <NamedSlider
            key={p.id}
            label={p.name}
            title={hint(p.hint, KEYS[p.id])}
            value={brush[p.id as keyof Brush] as number}
            low={p.low}
            high={p.high}
            step={p.step}
            unit={p.unit}
            log={p.scale === "log"}
            reset={p.id === "size" && brush.size_unit === "object" ? undefined : (first?.[p.id as keyof Brush] as number | undefined)}
            onChange={(v) => setBrush({ [p.id]: v })}
          />
        ))}
      <div className="prow">
        <span className="label">Pressure</span>
        {PRESSURES.map(([id, name]) => (
          <Tooltip key={id} title={`Pen pressure changes the ${name}`}>
            <Toggle plain on={brush[id].on} onToggle={() => setBrush({ [id]: { ...brush[id], on: !brush[id].on } })}>
              {name}
            </Toggle>
          </Tooltip>
        ))}
      </div>
      {more &&
        PRESSURES.filter(([id]) => brush[id].on).map(([id, name]) => (
          <NamedSlider
            key={id}
            label={`Least ${name}`}
            title={`Share of the ${name} at no pressure`}
            value={brush[id].low}
            low={0}
            high={1}
            step={0.01}
            unit="percent"
            onChange={(low) => setBrush({ [id]: { ...brush[id], low } })}
          />
        ))}
      {more &&
        PRESSURES.filter(([id]) => brush[id].on).map(([id, name]) => (
          <NamedSlider
            key={`${id}-gamma`}
            label={`${name[0]?.toUpperCase()}${name.slice(1)} curve`}
            title="Above 1 the pen must be pressed harder, below 1 less hard"
            value={brush[id].gamma}
            low={0.2}
            high={5}
            step={0.1}
            unit="number"
            onChange={(gamma) => setBrush({ [id]: { ...brush[id], gamma } })}
          />
        ))}
      {more && (
        <div className="prow" role="group" aria-label="What the size counts">
          <span className="label">Size of the</span>
          <Tooltip title="The brush keeps its size on screen">
            <Toggle on={brush.size_unit === "view"} onToggle={() => brush.size_unit !== "view" && setBrush({ size_unit: "view", size: 40 })}>
              view
            </Toggle>
          </Tooltip>
          <Tooltip title="The brush keeps its size on the model, however near the view is">
            <Toggle on={brush.size_unit === "object"} onToggle={() => brush.size_unit !== "object" && setBrush({ size_unit: "object", size: 0.05 })}>
              object
            </Toggle>
          </Tooltip>
        </div>
      )}
    </section>
  );
}

/** A stroke as this brush would lay it: pressure rises and falls along it. */
function BrushPreview({ brush }: { brush: Brush }) {
  const standard = useWorkshop((s) => s.registries?.brush.spacing ?? brush.spacing);
  const dabs = useMemo(() => {
    const r = Math.min(24, 5 + Math.sqrt(brush.size_unit === "view" ? brush.size : brush.size * 600) * 0.9);
    const step = Math.max(brush.spacing * 2 * r, 1.2);
    // Dabs that lie close lay the flow by length, as strokes do; those that stand apart lay it each.
    const share = Math.min(step / (2 * r) / standard, 1);
    const out: { x: number; y: number; r: number; o: number; turn: number }[] = [];
    for (let x = 18; x <= 222; x += step) {
      const t = (x - 18) / 204;
      const p = Math.sin(Math.PI * t);
      const low = (c: Brush["pressure_size"]): number => (c.on ? c.low + (1 - c.low) * p ** c.gamma : 1);
      out.push({
        x,
        y: 32 + Math.sin(t * 2 * Math.PI) * -12,
        r: r * low(brush.pressure_size),
        o: 1 - (1 - brush.flow * low(brush.pressure_flow)) ** share,
        turn: (-Math.atan2(-12 * 2 * Math.PI * Math.cos(t * 2 * Math.PI), 204) * 180) / Math.PI,
      });
    }
    return out;
  }, [brush, standard]);
  const edge = Math.round(brush.hardness * 96);
  const tips = useWorkshop((s) => s.registries?.tips);
  const pictures = brush.tips.map((id) => tips?.find((t) => t.id === id)?.picture).filter((p): p is string => Boolean(p));
  return (
    <svg className="preview" viewBox="0 0 240 64" role="img" aria-label="How a stroke looks">
      <defs>
        {pictures.map((href, i) => (
          <mask key={i} id={`tip${i}`} maskContentUnits="objectBoundingBox">
            <image href={href} width="1" height="1" preserveAspectRatio="none" />
          </mask>
        ))}
        <radialGradient id="dab">
          <stop offset={`${edge}%`} stopColor="var(--text)" />
          <stop offset={`${(edge + 100) / 2}%`} stopColor="var(--text)" stopOpacity="0.5" />
          <stop offset="100%" stopColor="var(--text)" stopOpacity="0" />
        </radialGradient>
      </defs>
      <g opacity={brush.strength}>
        {dabs.map((d, i) =>
          pictures.length ? (
            <rect
              key={i}
              x={d.x - d.r}
              y={d.y - d.r * brush.roundness}
              width={2 * d.r}
              height={2 * d.r * brush.roundness}
              fill="var(--text)"
              opacity={d.o}
              mask={`url(#tip${i % pictures.length})`}
              transform={`rotate(${-brush.angle - (brush.follow ? d.turn : 0)} ${d.x} ${d.y})`}
            />
          ) : (
            <ellipse
              key={i}
              cx={d.x}
              cy={d.y}
              rx={d.r}
              ry={d.r * brush.roundness}
              fill="url(#dab)"
              opacity={d.o}
              transform={`rotate(${-brush.angle} ${d.x} ${d.y})`}
            />
          ),
        )}
      </g>
    </svg>
  );
}
