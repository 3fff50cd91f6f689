/** Ranges of colour inside an adjustment: chips, and the numbers of the open one. */
import { Tooltip } from "@mui/material";
import { useState } from "react";
import { useStore } from "zustand";
import type { AdjustLayer, PickedRange } from "../api/types";
import { adjusting, catchToConfine, catchToGroup, catchToMask, openRange, removeRange, showCatch, takeAdjust } from "../state/adjusting";
import { toHex } from "../state/colour";
import { PushButton } from "../ui/PushButton";
import { TextInput } from "../ui/TextInput";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

export function RangeChips({ layer }: { layer: AdjustLayer }) {
  const open = useStore(adjusting, (s) => s.range);
  const picking = useStore(adjusting, (s) => s.picking?.what === "new");
  const catching = useStore(adjusting, (s) => s.catching);
  const ranges = layer.ranges ?? [];
  return (
    <>
      <div className="prow wrap" role="group" aria-label="Ranges">
        <span className="label">Ranges</span>
        <Tooltip title={ranges.length ? "Settings of what no range catches" : "Everything is changed alike"}>
          <Toggle plain on={!ranges.some((r) => r.id === open)} onToggle={() => openRange(null)}>
            {ranges.length ? "The rest" : "All colours"}
          </Toggle>
        </Tooltip>
        {ranges.map((r, i) => (
          <Tooltip key={r.id} title={`${r.name || `Range ${i + 1}`}: press to open it and see what it catches`}>
            <button
              className={`rchip${open === r.id ? " on" : ""}${r.on === false ? " off" : ""}`}
              aria-label={r.name || `Range ${i + 1}`}
              aria-pressed={open === r.id}
              style={{ background: toHex(r.colour) }}
              onClick={() => {
                openRange(r.id);
                showCatch(!(open === r.id && catching));
              }}
            />
          </Tooltip>
        ))}
        <Tooltip title="Then press on a colour of the model, or drag over some for their mean">
          <Toggle plain on={picking} onToggle={() => adjusting.setState({ picking: picking ? null : { what: "new" } })}>
            + Pick
          </Toggle>
        </Tooltip>
      </div>
      {ranges.length > 0 && !ranges.some((r) => r.id === open) && (
        <div className="prow">
          <Toggle on={layer.rest ?? false} onToggle={() => void takeAdjust({ rest: !layer.rest }, "The rest")}>
            Change the rest too
          </Toggle>
        </div>
      )}
    </>
  );
}

export function RangeControls({ range, onTry, onTake }: { range: PickedRange; onTry: (r: PickedRange) => void; onTake: (r: PickedRange) => void }) {
  const catching = useStore(adjusting, (s) => s.catching);
  const again = useStore(adjusting, (s) => s.picking?.what === "again");
  const [name, setName] = useState(range.name ?? "");
  return (
    <div className="rangebox" role="group" aria-label="Open range">
      <div className="prow">
        <TextInput
          sx={{ flex: 1 }}
          aria-label="Name of the range"
          placeholder="Name, e.g. Red bands"
          maxLength={80}
          value={name}
          onChange={(e) => setName(e.target.value)}
          onBlur={() => name !== range.name && onTake({ ...range, name })}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
        <Tooltip title="Pick its colour again: press on the model, or drag for a mean">
          <Toggle plain on={again} onToggle={() => adjusting.setState({ picking: again ? null : { what: "again", range: range.id } })}>
            Pick
          </Toggle>
        </Tooltip>
      </div>
      <NamedSlider
        label="Tolerance"
        title="How different a colour may look and still be caught whole"
        value={range.tolerance ?? 0.08}
        low={0}
        high={0.5}
        step={0.005}
        unit="number"
        onChange={(tolerance) => onTry({ ...range, tolerance })}
        onDone={(tolerance) => onTake({ ...range, tolerance })}
      />
      <NamedSlider
        label="Softness"
        title="How far it fades out beyond that"
        value={range.softness ?? 0.08}
        low={0}
        high={0.5}
        step={0.005}
        unit="number"
        onChange={(softness) => onTry({ ...range, softness })}
        onDone={(softness) => onTake({ ...range, softness })}
      />
      <div className="prow">
        <Tooltip title="Mark on the model and the sheet what it catches">
          <Toggle on={catching} onToggle={() => showCatch(!catching)}>
            Show
          </Toggle>
        </Tooltip>
        <Tooltip title="All colours but these">
          <Toggle on={range.invert ?? false} onToggle={() => onTake({ ...range, invert: !range.invert })}>
            Invert
          </Toggle>
        </Tooltip>
        <Tooltip title="Whether the range counts">
          <Toggle on={range.on ?? true} onToggle={() => onTake({ ...range, on: !(range.on ?? true) })}>
            On
          </Toggle>
        </Tooltip>
      </div>
      <div className="prow">
        <span className="label">Catch to</span>
        <Tooltip title="A paint layer in front, masked by what the range catches">
          <PushButton onClick={() => void catchToMask(range.id)}>Mask</PushButton>
        </Tooltip>
        <Tooltip title="Keep the faces it catches under its name">
          <PushButton onClick={() => void catchToGroup(range.id)}>Face group</PushButton>
        </Tooltip>
        <Tooltip title="Keep strokes to what it catches">
          <PushButton onClick={() => catchToConfine(range)}>Confine</PushButton>
        </Tooltip>
        <Tooltip title="Delete this range">
          <PushButton aria-label="Delete this range" onClick={() => void removeRange(range.id)}>
            ×
          </PushButton>
        </Tooltip>
      </div>
      <p className="note">Where ranges overlap they share by weight.</p>
    </div>
  );
}
