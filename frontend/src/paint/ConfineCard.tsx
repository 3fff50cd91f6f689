import { Tooltip } from "@mui/material";
import { useState } from "react";
import type { Confine } from "../api/types";
import { toHex } from "../state/colour";
import { setBrush } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { showPicked } from "../state/picking";
import { workshop } from "../state/workshop";
import { hint } from "../tools/commands";
import { GroupChoice } from "../ui/GroupChoice";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { NamedSlider } from "../ui/sliders";
import { Expander } from "./Expander";
import { ChoiceRow } from "../ui/ChoiceRow";

const SIDES = [
  ["front", "Front", "Only surface that looks the brush's way takes paint"],
  ["both", "Both", "Surface takes paint whichever way it looks"],
  ["back", "Back", "The side that looks away from the brush takes paint, through thin walls"],
] as const;

/** How many of the limits are set. */
export function limits(confine: Confine, depth: number, facing: number): number {
  return [
    confine.relief !== 0,
    confine.raised > 0,
    confine.picks.length > 0,
    confine.part,
    confine.colours.length > 0,
    depth > 0,
    facing !== 90,
  ].filter(Boolean).length;
}

/** What alone may change: recesses or ridges, faces, a part, colours, facing and depth. */
export function ConfineCard() {
  const confine = useWorkshop((s) => s.confine);
  const on = useWorkshop((s) => s.confined);
  const brush = useWorkshop((s) => s.brush);
  const [open, setOpen] = useState(false);
  const count = limits(confine, brush.depth, brush.facing_deg);
  return (
    <section className="card" aria-label="Confine settings">
      <div className="chead">
        <h2>Confine</h2>
        <span className="right">
          {count > 0 && (
            <Tooltip
              title={hint(
                on ? "Strokes keep to these limits; press to let them go anywhere" : "The limits are set aside; press to use them",
                "confine",
              )}
            >
              <Toggle on={on} onToggle={() => workshop.setState({ confined: !on })}>
                {on ? `${count} on` : "Off"}
              </Toggle>
            </Tooltip>
          )}
          {count === 0 && "Anywhere"}
          <Expander open={open} name="limits" hint="Keep strokes to ridges, faces, a part, colours or a depth" onToggle={() => setOpen(!open)} />
        </span>
      </div>
      {open && <ConfineSettings confine={confine} />}
    </section>
  );
}

const READS = [
  ["beneath", "Beneath", "Colours under the layer, which strokes into it do not change; what shows where nothing lies beneath"],
  ["shows", "Shown", "Colours as they show, this layer's own paint included"],
] as const;

function ConfineSettings({ confine }: { confine: Confine }) {
  const brush = useWorkshop((s) => s.brush);
  const picked = useWorkshop((s) => s.picked);
  const colour = useWorkshop((s) => s.colours[s.other ? 1 : 0]);
  const set = (change: Partial<Confine>): void => workshop.setState({ confine: { ...confine, ...change }, confined: true });
  const side = !brush.facing ? "both" : brush.back ? "back" : "front";
  return (
    <>
      <NamedSlider
        label="Relief"
        title="Left: only recesses. Right: only ridges. In the middle everything"
        value={confine.relief}
        low={-1}
        high={1}
        step={0.01}
        unit="number"
        onChange={(relief) => set({ relief: Math.abs(relief) < 0.03 ? 0 : relief })}
      />
      {confine.relief !== 0 && (
        <>
          <NamedSlider
            label="Softness"
            title="How softly it sets in"
            value={confine.softness}
            low={0}
            high={1}
            step={0.01}
            unit="percent"
            onChange={(softness) => set({ softness })}
          />
          <ChoiceRow
            label="Told by"
            options={[
              ["mesh", "Mesh", "The curvature of the mesh itself"],
              ["bake", "Bake", "The baked curvature, where there is one"],
            ]}
            value={confine.relief_from}
            onChange={(chosen) => set({ relief_from: chosen })}
          />
        </>
      )}
      <NamedSlider
        label="Raised only"
        title="A dry brush: it touches only ridges and what the height channel raises"
        value={confine.raised}
        low={0}
        high={1}
        step={0.01}
        unit="percent"
        onChange={(raised) => set({ raised })}
      />
      <ChoiceRow label="Side" options={SIDES} value={side} onChange={(id) => setBrush({ facing: id !== "both", back: id === "back" })} />
      {brush.facing && (
        <NamedSlider
          label="Facing up to"
          title="Surface turned further from the brush takes no paint"
          value={brush.facing_deg}
          low={5}
          high={180}
          step={1}
          unit="degrees"
          onChange={(facing_deg) => setBrush({ facing_deg })}
        />
      )}
      <NamedSlider
        label="Depth"
        title="How far in front of and behind its plane a dab reaches; 0 is no limit"
        value={brush.depth}
        low={0}
        high={1}
        step={0.01}
        unit="percent"
        onChange={(depth) => setBrush({ depth })}
      />
      <div className="prow">
        <span className="label">Part</span>
        <Tooltip title="Only the part on which a stroke begins">
          <Toggle on={confine.part} onToggle={() => set({ part: !confine.part })}>
            Where it begins
          </Toggle>
        </Tooltip>
      </div>
      <div className="prow">
        <span className="label">Faces</span>
        {confine.picks.length > 0 ? (
          <Tooltip title="Strokes keep to these faces; press to let go of them">
            <Toggle
              on={true}
              onToggle={() => {
                set({ picks: [] });
                showPicked(workshop.getState().picked, null);
              }}
            >
              {confine.picks.length} picked
            </Toggle>
          </Tooltip>
        ) : (
          <Tooltip
            title={picked.length ? "Keep strokes to the faces picked by box or lasso" : "Pick faces first: the Fill tool has a box and a lasso"}
          >
            <PushButton disabled={!picked.length} onClick={() => set({ picks: picked })}>
              Those picked
            </PushButton>
          </Tooltip>
        )}
        <GroupChoice about="Keep strokes to a kept face group" onTake={(picks) => set({ picks })} />
      </div>
      <div className="prow">
        <span className="label">Colours</span>
        {confine.colours.map((c, i) => (
          <Tooltip key={i} title={`Only where it looks like ${toHex(c)}; press to take it out`}>
            <button
              className="swatch"
              aria-label={`Colour ${toHex(c)}`}
              style={{ background: toHex(c) }}
              onClick={() => set({ colours: confine.colours.filter((_, k) => k !== i) })}
            />
          </Tooltip>
        ))}
        <Tooltip title="Only where the surface looks like the colour in hand; pick one with the Pick tool">
          <button
            className="iconbtn small"
            aria-label="Add the colour in hand"
            disabled={confine.colours.length > 7}
            onClick={() => set({ colours: [...confine.colours, colour] })}
          >
            <Icon name="plus" />
          </button>
        </Tooltip>
      </div>
      {confine.caught && (
        <div className="prow">
          <span className="label">Range</span>
          <Tooltip title="Strokes keep to what a range of an adjustment catches; press to let go of it">
            <Toggle on={true} onToggle={() => set({ caught: null })}>
              Of an adjustment
            </Toggle>
          </Tooltip>
        </div>
      )}
      {confine.colours.length > 0 && (
        <>
          <ChoiceRow label="From" options={READS} value={confine.colours_from} onChange={(colours_from) => set({ colours_from })} />
          <NamedSlider
            label="Tolerance"
            title="How different a colour may look"
            value={confine.tolerance}
            low={0}
            high={0.5}
            step={0.005}
            unit="number"
            onChange={(tolerance) => set({ tolerance })}
          />
          <NamedSlider
            label="Edge"
            title="How softly the range ends"
            value={confine.colour_softness}
            low={0}
            high={0.5}
            step={0.005}
            unit="number"
            onChange={(colour_softness) => set({ colour_softness })}
          />
        </>
      )}
    </>
  );
}
