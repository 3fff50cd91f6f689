/** Controls of mask steps, contents and adjustments, laid out from the server's lists. */
import { Slider, Tooltip } from "@mui/material";
import type { Control, Projection } from "../api/types";
import { workshop } from "../state/workshop";
import { Segment, Segments } from "../ui/Segments";
import { NamedSlider } from "../ui/sliders";
import { CurveEditor } from "./CurveEditor";
import { ProjectionControls } from "./ProjectionControls";
import { ColourList, DirectionChoice, ImageChoice, LayerChoice, PickList, Stretch } from "./choices";

export type Values = Record<string, unknown>;

export interface ControlProps {
  control: Control;
  values: Values;
  /** The step, content or adjustment the control belongs to, for those that reach into the views. */
  owner: { id: string; kind: string };
  onTry: (change: Values) => void;
  onTake: (change: Values) => void;
}

/** The first value of a number of a kind, as the server lists it. */
function firstOf(kind: string, control: string): number | undefined {
  const { registries } = workshop.getState();
  const stack = registries?.stack;
  const first =
    stack?.first_steps[kind] ??
    stack?.first_adjustments[kind] ??
    stack?.first_contents[kind] ??
    stack?.first_patterns[kind] ??
    registries?.tool_settings[kind];
  const value = (first as Values | undefined)?.[control];
  return typeof value === "number" ? value : undefined;
}

/** One control of whatever kind. */
export function ControlRow(props: ControlProps) {
  const { control: c, values, onTry, onTake } = props;
  const one = values[c.id];
  switch (c.kind) {
    case "share":
    case "signed":
    case "length":
    case "count":
    case "seed":
    case "degrees":
    case "gamma":
      return (
        <NamedSlider
          label={c.name}
          title={c.hint}
          value={one as number}
          low={c.low}
          high={c.high}
          step={c.kind === "count" || c.kind === "seed" || c.kind === "degrees" ? 1 : (c.high - c.low) / 200}
          unit={c.kind === "count" || c.kind === "seed" ? "count" : c.kind === "degrees" ? "degrees" : c.kind === "gamma" ? "number" : "percent"}
          log={(c.kind === "length" || c.kind === "gamma") && c.low > 0}
          reset={firstOf(props.owner.kind, c.id)}
          onChange={(v) => onTry({ [c.id]: v })}
          onDone={(v) => onTake({ [c.id]: v })}
        />
      );
    case "range":
      return <Ends label={c.name} title={c.hint} low={c.low} high={c.high} names={["low", "high"]} {...props} />;
    case "pair":
      return <Ends label={c.name} title={c.hint} low={0} high={1} names={[`${c.id}_low`, `${c.id}_high`]} {...props} />;
    case "choice":
      return (
        <div className="prow">
          <span className="label">{c.name}</span>
          <Segments label={c.name}>
            {c.choices.map((x) => (
              <Tooltip key={x} title={c.hint}>
                <Segment on={one === x} onChoose={() => onTake({ [c.id]: x })}>
                  {x}
                </Segment>
              </Tooltip>
            ))}
          </Segments>
        </div>
      );
    case "direction":
      return <DirectionChoice {...props} />;
    case "stretch":
      return <Stretch {...props} />;
    case "curve":
      return <CurveEditor points={one as [number, number][]} onTry={(points) => onTry({ points })} onTake={(points) => onTake({ points })} />;
    case "colours":
      return <ColourList {...props} />;
    case "picks":
      return <PickList {...props} />;
    case "layer":
      return <LayerChoice {...props} />;
    case "image":
      return <ImageChoice {...props} />;
    case "projection":
      return (
        <ProjectionControls value={one as Projection} onTry={(projection) => onTry({ projection })} onTake={(projection) => onTake({ projection })} />
      );
    default:
      return null;
  }
}

/** Two thumbs on one rail. */
function Ends({
  label,
  title,
  low,
  high,
  names,
  values,
  onTry,
  onTake,
}: ControlProps & { label: string; title: string; low: number; high: number; names: [string, string] }) {
  const ends = names.map((n) => values[n] as number);
  const told = (v: number): string => `${Math.round(v * 100)}`;
  const change = (v: number | number[]): Values => {
    const [a = low, b = high] = v as number[];
    return { [names[0]]: a, [names[1]]: b };
  };
  return (
    <div className="sl">
      <Tooltip title={title} placement="left">
        <span>{label}</span>
      </Tooltip>
      <Slider
        value={ends}
        min={low}
        max={high}
        step={0.005}
        getAriaLabel={(i) => `${label}, ${i ? "high" : "low"} end`}
        getAriaValueText={told}
        onChange={(_, v) => onTry(change(v))}
        onChangeCommitted={(_, v) => onTake(change(v))}
      />
      <span className="quiet aside">{ends.map(told).join("–")}</span>
    </div>
  );
}
