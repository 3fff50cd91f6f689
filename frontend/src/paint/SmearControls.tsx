import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";
import type { SmearSettings } from "../state/workshop";
import { ChoiceRow } from "../ui/ChoiceRow";
import { NamedSlider } from "../ui/sliders";

const MODES: [SmearSettings["mode"], string, string][] = [
  ["mix", "Mix", "The brush carries paint, lays part of it and takes up part of what it meets"],
  ["push", "Push", "What is there moves with the brush, borders and all"],
];

/** How smear moves paint. */
export function SmearControls() {
  const smear = useWorkshop((s) => s.smear);
  const set = (change: Partial<SmearSettings>): void => workshop.setState({ smear: { ...smear, ...change } });
  return (
    <>
      <ChoiceRow label="Mode" options={MODES} value={smear.mode} onChange={(mode) => set({ mode })} />
      {smear.mode === "mix" && (
        <NamedSlider
          label="Wetness"
          title="How much paint the brush takes up while it lays its own; at 100 % no paint is made or lost"
          value={smear.wetness}
          low={0}
          high={1}
          step={0.01}
          unit="percent"
          onChange={(wetness) => set({ wetness })}
        />
      )}
      <p className="note">
        {smear.mode === "mix" ? "Strength is how far a colour is carried, flow how much is laid." : "Strength is how much of the way it goes."}
      </p>
    </>
  );
}
