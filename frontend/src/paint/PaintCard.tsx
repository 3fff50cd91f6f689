import { Slider, Tooltip } from "@mui/material";
import { HexColorPicker } from "react-colorful";
import type { Channel } from "../api/types";
import { fromHex, toHex } from "../state/colour";
import { chooseTarget, toolKind } from "../state/hand";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { findLayer } from "../state/layers";
import { workshop } from "../state/workshop";
import { TextInput } from "../ui/TextInput";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";
import { BlendChoice } from "./BlendChoice";
import { Finishes, Lays } from "./Finishes";
import { Swatches } from "./Swatches";

/** What the next stroke lays: colour and values for channel cells, one grey for a mask. */
export function PaintCard() {
  const target = useWorkshop((s) => s.target);
  return (
    <section className="card grow" aria-label="Paint">
      {target?.mask ? <MaskPaint /> : <ChannelPaint />}
      <div className="rule" />
      <Swatches />
      {!target?.mask && !target?.mesh_map && <Finishes />}
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
      <Lays />
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
