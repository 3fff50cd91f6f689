import { Tooltip } from "@mui/material";
import { fromHex, toHex } from "../state/colour";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";
import type { Tone } from "../state/workshop";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

const CHANGES: [Tone["change"], string, string][] = [
  ["lighten", "Lighten", "Towards white"],
  ["darken", "Darken", "Towards black"],
  ["contrast", "Contrast", "Away from the middle"],
  ["saturate", "Saturate", "Stronger colour"],
  ["desaturate", "Grey", "Weaker colour"],
  ["hue", "Hue", "Turns the colour round the wheel"],
  ["tint", "Tint", "Towards a colour, as light as it is"],
];
const RANGES: [Tone["range"], string][] = [
  ["all", "All tones"],
  ["shadows", "Shadows"],
  ["midtones", "Mid-tones"],
  ["highlights", "Highlights"],
];

/** What the tone tool does to what is there. */
export function ToneControls() {
  const tone = useWorkshop((s) => s.tone);
  const set = (change: Partial<Tone>): void => workshop.setState({ tone: { ...tone, ...change } });
  return (
    <>
      <div className="prow" role="group" aria-label="Change">
        {CHANGES.map(([id, name, hint]) => (
          <Tooltip key={id} title={hint}>
            <Toggle on={tone.change === id} onToggle={() => set({ change: id })}>
              {name}
            </Toggle>
          </Tooltip>
        ))}
      </div>
      <div className="prow" role="group" aria-label="Range of tones">
        {RANGES.map(([id, name]) => (
          <Tooltip key={id} title="Which tones it works on, by how light they are">
            <Toggle on={tone.range === id} onToggle={() => set({ range: id })}>
              {name}
            </Toggle>
          </Tooltip>
        ))}
      </div>
      <NamedSlider
        label="Amount"
        title="How far one stroke at full strength goes"
        value={tone.amount}
        low={0}
        high={1}
        step={0.01}
        unit="percent"
        onChange={(amount) => set({ amount })}
      />
      {tone.change === "hue" && (
        <NamedSlider
          label="Turn"
          title="Degrees on the wheel at full amount"
          value={tone.degrees}
          low={-180}
          high={180}
          step={1}
          unit="degrees"
          onChange={(degrees) => set({ degrees })}
        />
      )}
      {tone.change === "tint" && (
        <div className="prow">
          <span className="label">Towards</span>
          <input
            type="color"
            aria-label="Tint colour"
            value={toHex(tone.colour)}
            onChange={(e) => set({ colour: (fromHex(e.target.value) ?? tone.colour) as Tone["colour"] })}
          />
        </div>
      )}
    </>
  );
}
