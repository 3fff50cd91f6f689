import { Tooltip } from "@mui/material";
import type { Projection } from "../api/types";
import { theStage } from "../state/stage";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

const MODES: [Projection["mode"], string, string][] = [
  ["three-way", "Three-way", "From three sides, blended where the surface turns"],
  ["planar", "Planar", "From one direction, like a slide"],
  ["uv", "UV", "Along the layout of the sheet"],
];

/** How a picture lies on the surface. */
export function ProjectionControls({ value, onTry, onTake }: { value: Projection; onTry: (p: Projection) => void; onTake: (p: Projection) => void }) {
  const number = (
    name: string,
    hint: string,
    key: "size" | "turn" | "sharpness",
    low: number,
    high: number,
    unit: "percent" | "degrees" | "number",
    log: boolean,
  ) => (
    <NamedSlider
      label={name}
      title={hint}
      value={value[key]}
      low={low}
      high={high}
      step={unit === "number" ? 0.1 : 1}
      unit={unit}
      log={log}
      onChange={(v) => onTry({ ...value, [key]: v })}
      onDone={(v) => onTake({ ...value, [key]: v })}
    />
  );
  const shift = (i: 0 | 1, name: string) => (
    <NamedSlider
      label={name}
      title="Shares of a repeat"
      value={value.shift[i]}
      low={-1}
      high={1}
      step={0.01}
      unit="percent"
      onChange={(v) => onTry({ ...value, shift: i ? [value.shift[0], v] : [v, value.shift[1]] })}
      onDone={(v) => onTake({ ...value, shift: i ? [value.shift[0], v] : [v, value.shift[1]] })}
    />
  );
  return (
    <>
      <div className="prow">
        <span className="label">Lies</span>
        <Segments label="Projection">
          {MODES.map(([mode, name, hint]) => (
            <Tooltip key={mode} title={hint}>
              <Segment on={value.mode === mode} onChoose={() => onTake({ ...value, mode })}>
                {name}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
      </div>
      {number(
        "Size",
        value.mode === "uv" ? "Of a repeat, as a share of the sheet" : "Of a repeat, as a share of the model",
        "size",
        0.005,
        4,
        "percent",
        true,
      )}
      {number("Turn", "Turns the picture", "turn", -180, 180, "degrees", false)}
      {shift(0, "Across")}
      {shift(1, "Down")}
      {value.mode === "three-way" && number("Sharpness", "How quickly one side gives way to the next", "sharpness", 1, 32, "number", true)}
      <div className="prow">
        <Toggle on={value.repeat} onToggle={() => onTake({ ...value, repeat: !value.repeat })}>
          Repeat
        </Toggle>
        {value.mode === "planar" && (
          <>
            <Toggle on={value.through} onToggle={() => onTake({ ...value, through: !value.through })}>
              Both sides
            </Toggle>
            <Tooltip title="The picture comes from where you look now, centred on what you look at">
              <PushButton
                onClick={() => {
                  const camera = theStage()?.seenFrom();
                  if (!camera) return;
                  const facing = camera.eye.map((v, i) => v - (camera.target[i] ?? 0)) as [number, number, number];
                  onTake({ ...value, centre: camera.target, facing });
                }}
              >
                From this view
              </PushButton>
            </Tooltip>
          </>
        )}
      </div>
    </>
  );
}
