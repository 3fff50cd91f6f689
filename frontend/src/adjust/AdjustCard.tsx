import { Tooltip } from "@mui/material";
import { useState } from "react";
import { useStore } from "zustand";
import type { AdjustLayer, PickedRange } from "../api/types";
import { ControlRow } from "../masks/controls";
import type { Values } from "../masks/controls";
import { adjusting, changeRange, showCatch, takeAdjust, tryAdjust } from "../state/adjusting";
import type { Changes } from "../state/adjusting";
import { useSheet, useWorkshop } from "../state/hooks";
import { addLayer, mergeDown } from "../state/layerActions";
import { findLayer } from "../state/layers";
import { addStep } from "../state/masks";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";
import { ColourControl, Factor, Measured, NumberEach, RampStops } from "./colourControls";
import { Histogram } from "./Histogram";
import { PresetRow } from "./PresetRow";
import { RangeChips, RangeControls } from "./Ranges";

const REACHES = [
  ["group", "Its group", "Changes all that lies beneath it, among the layers of its group"],
  ["beneath", "Everything", "Changes what its group lies on too"],
  ["clip", "One layer", "Changes only what the layer under it lays"],
] as const;
/** What the target's adjustment layer does. */
export function AdjustCard() {
  const sheet = useSheet();
  const target = useWorkshop((s) => s.target);
  const layer = target && target.sheet === sheet?.id ? findLayer(sheet, target.layer) : undefined;
  if (!sheet || layer?.kind !== "adjust") return null;
  return <Card key={`${sheet.id}/${layer.id}/${JSON.stringify([layer.adjust, layer.ranges, layer.rest])}`} layer={layer} />;
}

function Card({ layer }: { layer: AdjustLayer }) {
  const kind = useWorkshop((s) => s.registries?.stack.adjustments.find((k) => k.id === layer.adjust.kind));
  const open = useStore(adjusting, (s) => s.range);
  const [draft, setDraft] = useState<Changes>({ adjust: layer.adjust, ranges: layer.ranges ?? [] });
  const ranges = (draft.ranges ?? []) as PickedRange[];
  const range = ranges.find((r) => r.id === open) ?? null;
  const values = (range ? range.adjust : draft.adjust) as unknown as Values;
  const waits = useWorkshop((s) => s.waiting[layer.id]?.includes("adjust:") ?? false);
  const colours = kind?.colours ?? false;
  /** The settings that are open, changed. */
  const changed = (change: Values): Changes =>
    range
      ? { ranges: ranges.map((r) => (r.id === range.id ? ({ ...r, adjust: { ...r.adjust, ...change } } as PickedRange) : r)) }
      : { adjust: { ...draft.adjust, ...change } as AdjustLayer["adjust"] };
  const attempt = (changes: Changes): void => {
    setDraft({ ...draft, ...changes });
    tryAdjust(changes);
  };
  const take = (changes: Changes): void => {
    setDraft({ ...draft, ...changes });
    void takeAdjust(changes, kind?.name ?? "Adjustment");
  };
  const components = layer.components ?? ["r", "g", "b"];
  return (
    <section className="card" aria-label={`Adjustment ${layer.name}`}>
      <div className="chead">
        <h2>{kind?.name ?? "Adjustment"}</h2>
        <span className="quiet ell">{layer.name}</span>
      </div>
      {colours && <RangeChips layer={layer} />}
      {range && (
        <RangeControls
          range={range}
          onTry={(r) => attempt({ ranges: ranges.map((x) => (x.id === r.id ? r : x)) })}
          onTake={(r) => take({ ranges: changeRange(r) })}
        />
      )}
      {kind?.counts && <Histogram layer={layer} />}
      {kind?.controls.map((c) => {
        const shared = {
          control: c,
          values,
          owner: { id: layer.id, kind: layer.adjust.kind },
          onTry: (change: Values) => {
            // What is marked would hide what changes.
            if (adjusting.getState().catching) showCatch(false);
            attempt(changed(change));
          },
          onTake: (change: Values) => take(changed(change)),
        };
        if (c.kind === "colour") return <ColourControl key={c.id} {...shared} range={range?.id ?? null} />;
        if (c.kind === "rgb" || c.kind === "each") return <NumberEach key={c.id} {...shared} />;
        if (c.kind === "factor") return <Factor key={c.id} {...shared} />;
        if (c.kind === "stops") return <RampStops key={c.id} {...shared} />;
        if (c.kind === "measured") return <Measured key={c.id} {...shared} layer={layer} />;
        return <ControlRow key={c.id} {...shared} />;
      })}
      {waits && (
        <div className="prow waits" role="status">
          {kind?.waits}
        </div>
      )}
      {layer.adjust.kind === "unknown" && (
        <p className="note">“{layer.adjust.of}” comes from a plug-in that is not installed here. It is kept, but has no effect.</p>
      )}
      {colours && (
        <div className="prow">
          <span className="label">Changes</span>
          {(["r", "g", "b"] as const).map((c) => (
            <Tooltip key={c} title={`Change ${{ r: "red", g: "green", b: "blue" }[c]}, or leave it as it is`}>
              <Toggle
                plain
                on={components.includes(c)}
                aria-label={{ r: "Red", g: "Green", b: "Blue" }[c]}
                onToggle={() =>
                  take({ components: (["r", "g", "b"] as const).filter((x) => (x === c ? !components.includes(x) : components.includes(x))) })
                }
              >
                {c.toUpperCase()}
              </Toggle>
            </Tooltip>
          ))}
        </div>
      )}
      {kind?.reaches && (
        <div className="prow">
          <span className="label">Reach</span>
          <Segments label="Reach">
            {REACHES.map(([id, name, about]) => (
              <Tooltip key={id} title={about}>
                <Segment on={(layer.reach ?? "group") === id} onChoose={() => take({ reach: id })}>
                  {name}
                </Segment>
              </Tooltip>
            ))}
          </Segments>
        </div>
      )}
      <PresetRow layer={layer} />
      <div className="prow wrap">
        <Tooltip title="Hide it everywhere by a painted mask, and paint it in where it should show">
          <PushButton onClick={() => void addStep(layer, "painted")}>Brush in</PushButton>
        </Tooltip>
        <Tooltip title="A paint layer right in front of it; nothing beneath is lost">
          <PushButton onClick={() => void addLayer("paint")}>Paint on the result</PushButton>
        </Tooltip>
        <Tooltip title="Make one paint layer of this and the layer under it; undo brings both back">
          <PushButton onClick={() => void mergeDown(layer.id)}>Merge down</PushButton>
        </Tooltip>
      </div>
      <p className="note">
        It changes the channels whose cells say “adjusts”; press a cell to add or leave one.
        {ranges.length > 0 && " Ranges look at base colour and other colours; channels of one value stay as they are."}
      </p>
    </section>
  );
}
