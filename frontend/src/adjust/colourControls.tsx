/** Controls of adjustments of colour. */
import { Tooltip } from "@mui/material";
import { useStore } from "zustand";
import type { AdjustLayer, ColourStop } from "../api/types";
import { Ramp } from "../masks/Ramp";
import type { ControlProps, Values } from "../masks/controls";
import { adjusting, matchLike } from "../state/adjusting";
import { fromHex, toHex } from "../state/colour";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { rows } from "../state/layers";
import { Dropdown } from "../ui/Dropdown";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

const COMPONENTS = ["Red", "Green", "Blue"] as const;

/** A colour, typed, chosen or picked on the model. */
export function ColourControl({ control, values, onTry, onTake, range }: ControlProps & { range: string | null }) {
  const colour = values[control.id] as number[];
  const picking = useStore(adjusting, (s) => s.picking?.what === "control" && s.picking.control === control.id);
  return (
    <div className="prow">
      <Tooltip title={control.hint} placement="left">
        <span className="label">{control.name}</span>
      </Tooltip>
      <input
        type="color"
        aria-label={control.name}
        value={toHex(colour)}
        onChange={(e) => onTry({ [control.id]: fromHex(e.target.value) ?? colour })}
        onBlur={(e) => onTake({ [control.id]: fromHex(e.target.value) ?? colour })}
      />
      <Tooltip title="Then press on the model, or drag for a mean">
        <Toggle plain on={picking} onToggle={() => adjusting.setState({ picking: picking ? null : { what: "control", control: control.id, range } })}>
          Pick
        </Toggle>
      </Tooltip>
    </div>
  );
}

/** A number for each of red, green and blue; of four the first is for all. */
export function NumberEach({ control, values, owner, onTry, onTake }: ControlProps) {
  const all = values[control.id] as number[];
  const first = useWorkshop((s) => (s.registries?.stack.first_adjustments[owner.kind] as Values | undefined)?.[control.id]) as number[] | undefined;
  const put = (k: number, v: number) => ({ [control.id]: all.map((x, i) => (i === k ? v : x)) });
  return (
    <div role="group" aria-label={control.name}>
      <span className="label sub">{control.name}</span>
      {(all.length > COMPONENTS.length ? ["All", ...COMPONENTS] : COMPONENTS).map((name, k) => (
        <NamedSlider
          key={name}
          label={name}
          title={control.hint}
          value={all[k] ?? 0}
          low={control.low}
          high={control.high}
          step={0.01}
          unit="number"
          log={control.log}
          reset={first?.[k] ?? 0}
          onChange={(v) => onTry(put(k, v))}
          onDone={(v) => onTake(put(k, v))}
        />
      ))}
    </div>
  );
}

export function Factor({ control, values, onTry, onTake }: ControlProps) {
  return (
    <NamedSlider
      label={control.name}
      title={control.hint}
      value={values[control.id] as number}
      low={control.low}
      high={control.high}
      step={0.01}
      unit="number"
      reset={1}
      onChange={(v) => onTry({ [control.id]: v })}
      onDone={(v) => onTake({ [control.id]: v })}
    />
  );
}

interface Stop {
  at: number;
  colour: number[];
}

const COLOUR = { kind: "colour" } as const;

/** Colours from dark to light. */
export function RampStops({ control, values, onTry, onTake }: ControlProps) {
  const stops = values[control.id] as Stop[];
  const changed = (ramp: ColourStop[]) => ({ [control.id]: [...ramp].sort((a, b) => a.at - b.at).map((s) => ({ at: s.at, colour: s.value })) });
  return (
    <Ramp
      channel={COLOUR}
      ramp={stops.map((s) => ({ at: s.at, value: s.colour }))}
      onTry={(ramp) => onTry(changed(ramp))}
      onTake={(ramp) => onTake(changed(ramp))}
    />
  );
}

/** The picture or layer that a match takes its colours from, measured when it is chosen. */
export function Measured({ control, values, layer, onTake }: ControlProps & { layer: AdjustLayer }) {
  const sheet = useSheet();
  const images = useDocument()?.images ?? [];
  const layers = sheet ? rows(sheet).filter((r) => r.layer.id !== layer.id && r.layer.kind !== "adjust") : [];
  const choose = async (id: string): Promise<void> => {
    const [what = "", key = ""] = id.split("/");
    if (!key) return;
    const found = await matchLike(what === "layer" ? { goal_layer: key } : { goal_picture: key });
    if (found) onTake(found);
  };
  const name = values.goal_name as string;
  return (
    <>
      <div className="prow">
        <Tooltip title={control.hint} placement="left">
          <span className="label">{control.name}</span>
        </Tooltip>
        <Dropdown
          label="What is matched"
          value=""
          options={[
            { id: "", name: name || "Choose…" },
            ...layers.map((r) => ({ id: `layer/${r.layer.id}`, name: r.layer.name, group: "Layers" })),
            ...images.map((i) => ({ id: `picture/${i.key}`, name: i.name, group: "Pictures" })),
          ]}
          onChoose={(id) => void choose(id)}
          sx={{ maxWidth: 150 }}
        />
      </div>
      {!values.goal && <p className="note">Choose a picture or a layer: its colours are measured then, and stay as they were.</p>}
    </>
  );
}
