import { Slider, Tooltip } from "@mui/material";
import { HexColorPicker } from "react-colorful";
import type { Channel } from "../api/types";
import { fromHex, greyOf, sameColour, toHex } from "../state/colour";
import { edit } from "../state/edits";
import { chooseTarget, toolKind } from "../state/hand";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { findLayer } from "../state/layers";
import { workshop } from "../state/workshop";
import type { RGB } from "../state/workshop";
import { TextInput } from "../ui/TextInput";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { NamedSlider } from "../ui/sliders";
import { BlendChoice } from "./BlendChoice";

/** What the next stroke lays: colour and values for channel cells, one grey for a mask. */
export function PaintCard() {
  const target = useWorkshop((s) => s.target);
  return (
    <section className="card grow" aria-label="Paint">
      {target?.mask ? <MaskPaint /> : <ChannelPaint />}
      <div className="rule" />
      <Swatches />
    </section>
  );
}

function MaskPaint() {
  const values = useWorkshop((s) => s.maskValues);
  const other = useWorkshop((s) => s.other);
  const slot = other ? 1 : 0;
  const put = (v: number): void => workshop.setState({ maskValues: slot ? [values[0], v] : [v, values[1]] });
  return (
    <>
      <div className="chead">
        <h2>Paint</h2>
        <span className="right">mask value</span>
      </div>
      <div className="prow">
        <span className="label">hide 0</span>
        <b>reveal {Math.round(values[slot] * 100)}</b>
      </div>
      <div className="ramp" aria-hidden="true" />
      <Slider aria-label="Mask value" value={values[slot]} min={0} max={1} step={0.01} onChange={(_, v) => put(v as number)} />
    </>
  );
}

function ChannelPaint() {
  const document = useDocument();
  const sheet = useSheet();
  const target = useWorkshop((s) => s.target);
  const paints = useWorkshop((s) => toolKind(s)?.paints ?? false);
  const layer = findLayer(sheet ?? undefined, target?.layer ?? "");
  const channels = document?.channels ?? [];
  if (!target || layer?.kind !== "paint") {
    return (
      <>
        <div className="chead">
          <h2>Paint</h2>
        </div>
        <p className="note">
          {layer
            ? "This layer holds one value per channel. Press a value in its row to change it, or give it a painted mask."
            : "Choose a cell in the layer grid."}
        </p>
      </>
    );
  }
  const toggle = (id: string): void => {
    const on = target.channels.includes(id);
    const next = on ? target.channels.filter((c) => c !== id) : [...target.channels, id];
    if (next.length) chooseTarget({ ...target, channels: channels.map((c) => c.id).filter((c) => next.includes(c)) });
  };
  return (
    <>
      <div className="chead">
        <h2>Paint</h2>
        <span className="right">
          {target.channels.length} {target.channels.length === 1 ? "channel" : "channels"} in one stroke
        </span>
      </div>
      {target.channels.includes("base_color") && <ColourPaint />}
      {channels
        .filter((c) => c.id !== "base_color" && target.channels.includes(c.id))
        .map((c) => (
          <ValuePaint key={c.id} channel={c} />
        ))}
      {paints && <BlendChoice />}
      <div className="prow" role="group" aria-label="Channels of the stroke">
        {channels.map((c) => (
          <Tooltip key={c.id} title={target.channels.includes(c.id) ? `Strokes change ${c.name}` : `Also change ${c.name}`}>
            <Toggle on={target.channels.includes(c.id)} onToggle={() => toggle(c.id)}>
              {c.name}
            </Toggle>
          </Tooltip>
        ))}
      </div>
    </>
  );
}

function ColourPaint() {
  const colours = useWorkshop((s) => s.colours);
  const other = useWorkshop((s) => s.other);
  const slot = other ? 1 : 0;
  const hex = toHex(colours[slot]);
  const put = (text: string): void => {
    const rgb = fromHex(text);
    if (rgb) workshop.setState({ colours: slot ? [colours[0], rgb] : [rgb, colours[1]] });
  };
  return (
    <>
      <HexColorPicker color={hex} onChange={put} aria-label="Base colour" />
      <div className="prow">
        <label className="label" htmlFor="hex">
          Base colour
        </label>
        <TextInput
          sx={{ width: 78 }}
          id="hex"
          defaultValue={hex}
          key={hex}
          maxLength={7}
          onBlur={(e) => put(e.target.value)}
          onKeyDown={(e) => e.key === "Enter" && put(e.currentTarget.value)}
        />
      </div>
    </>
  );
}

function ValuePaint({ channel }: { channel: Channel }) {
  const value = useWorkshop((s) => s.values[channel.id]) ?? channel.start;
  const put = (v: number[]): void => workshop.setState({ values: { ...workshop.getState().values, [channel.id]: v } });
  if (channel.kind === "colour") {
    return (
      <div className="prow">
        <span className="label">{channel.name}</span>
        <input type="color" aria-label={channel.name} value={toHex(value)} onChange={(e) => put(fromHex(e.target.value) ?? [0, 0, 0])} />
      </div>
    );
  }
  const height = channel.kind === "height";
  return (
    <NamedSlider
      label={channel.name}
      title={height ? "Above 0 raises, below 0 carves" : `${channel.name} that strokes lay`}
      value={value[0] ?? 0}
      low={height ? -1 : 0}
      high={1}
      step={0.01}
      unit="number"
      onChange={(v) => put([v])}
    />
  );
}

function Swatches() {
  const swatches = useWorkshop((s) => s.project?.document.settings.swatches) as RGB[] | undefined;
  const state = useWorkshop((s) => s);
  const slot = state.other ? 1 : 0;
  const current = state.colours[slot];
  const take = (rgb: RGB): void => {
    if (state.target?.mask) {
      const grey = greyOf(rgb);
      workshop.setState({ maskValues: slot ? [state.maskValues[0], grey] : [grey, state.maskValues[1]] });
    } else workshop.setState({ colours: slot ? [state.colours[0], rgb] : [rgb, state.colours[1]] });
  };
  const list = swatches ?? [];
  const keep = (next: RGB[], label: string): void => void edit(label, { edit: "set-settings", values: { swatches: next } });
  const known = list.some((s) => sameColour(s, current));
  return (
    <>
      <div className="prow">
        <span className="label">Swatches</span>
        <Tooltip title={known ? "Take this colour out of the tray" : "Keep this colour in the tray"}>
          <button
            className="iconbtn small"
            aria-label={known ? "Remove swatch" : "Add swatch"}
            onClick={() =>
              known
                ? keep(
                    list.filter((s) => !sameColour(s, current)),
                    "Remove a swatch",
                  )
                : keep([...list, current], "Add a swatch")
            }
          >
            <Icon name={known ? "minus" : "plus"} />
          </button>
        </Tooltip>
      </div>
      <div className="swatches">
        {list.map((rgb, i) => (
          <Tooltip key={i} title={toHex(rgb)}>
            <button style={{ background: toHex(rgb) }} aria-label={`Swatch ${toHex(rgb)}`} onClick={() => take(rgb)} />
          </Tooltip>
        ))}
      </div>
      {state.target?.mask && <p className="note">A mask takes one value, so a swatch is used by its lightness here.</p>}
    </>
  );
}
