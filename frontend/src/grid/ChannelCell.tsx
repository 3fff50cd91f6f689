import { Menu, MenuItem, Paper, Popover, Popper, Slider, Tooltip } from "@mui/material";
import { useState } from "react";
import { HexColorPicker } from "react-colorful";
import type { Channel, Layer, Sheet } from "../api/types";
import { ContentEditor } from "../masks/ContentEditor";
import { fromHex, toHex } from "../state/colour";
import { chooseTarget } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { setPart } from "../state/layerActions";
import { partIn } from "../state/layers";
import { workshop } from "../state/workshop";
import type { RGB } from "../state/workshop";
import { addRole } from "../state/variants";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { askedName } from "../ui/dialogs";
import { TextInput } from "../ui/TextInput";
import { NamedSlider } from "../ui/sliders";

interface Props {
  layer: Layer;
  channel: Channel;
  sheet: Sheet;
}

/** One layer's part in one channel. A paint layer's cell becomes the target; a fill layer's opens its value. */
export function ChannelCell({ layer, channel, sheet }: Props) {
  const target = useWorkshop((s) => s.target);
  const picture = useWorkshop((s) => s.cells[`${layer.id}/${channel.id}`]);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const use = partIn(layer, channel.id);
  const hit = target?.sheet === sheet.id && target.layer === layer.id && !target.mask && target.channels.includes(channel.id);
  const press = (e: React.MouseEvent<HTMLElement>): void => {
    if (layer.kind === "fill") return setAnchor(e.currentTarget);
    if (layer.kind === "group") return setMenu(e.currentTarget);
    if (layer.kind === "adjust")
      return void setPart(layer, channel.id, { on: !use.on }, `${use.on ? "Leave" : "Change"} ${channel.name} with ${layer.name}`);
    const same = target?.sheet === sheet.id && target.layer === layer.id && !target.mask;
    let channels = [channel.id];
    if ((e.ctrlKey || e.metaKey) && same) {
      channels = target.channels.includes(channel.id) ? target.channels.filter((c) => c !== channel.id) : [...target.channels, channel.id];
    }
    if (channels.length) chooseTarget({ sheet: sheet.id, layer: layer.id, channels, mask: null, mesh_map: null });
  };
  const role = useWorkshop((s) => (use.role ? s.project?.document.settings.roles?.find((r) => r.id === use.role) : undefined));
  const value = layer.kind === "fill" && !use.content ? use.value : null;
  const number = value && channel.kind !== "colour" ? written(channel, value[0] ?? 0) : null;
  const classes = ["cell", hit && "target", !use.on && "off"].filter(Boolean).join(" ");
  return (
    <>
      <Tooltip title={told(layer, channel, use.on)}>
        <button
          className={classes}
          aria-pressed={layer.kind === "paint" ? hit : undefined}
          aria-label={`${layer.name}, ${channel.name}${number === null ? "" : `: ${number}`}`}
          onClick={press}
          onContextMenu={(e) => {
            e.preventDefault();
            setMenu(e.currentTarget);
          }}
        >
          {layer.kind === "adjust" ? (
            use.on ? (
              <span className="src">adjusts</span>
            ) : (
              <i className="dot" />
            )
          ) : layer.kind === "fill" && !use.content ? (
            <Value channel={channel} value={role?.colour ?? use.value ?? null} name={role?.name} />
          ) : picture ? (
            <img src={picture} alt="" />
          ) : (
            <i className="dot" />
          )}
        </button>
      </Tooltip>
      {layer.kind === "fill" && anchor && <FillEditor layer={layer} channel={channel} anchor={anchor} onClose={() => setAnchor(null)} />}
      {menu && <UseMenu layer={layer} channel={channel} anchor={menu} onClose={() => setMenu(null)} />}
    </>
  );
}

function told(layer: Layer, channel: Channel, on: boolean): string {
  const more = "right press for strength and blend";
  if (!on) return `${layer.name} is switched off in ${channel.name}; ${more}`;
  if (layer.kind === "paint") return `Paint ${channel.name} of ${layer.name} (Ctrl adds it to the stroke; ${more})`;
  if (layer.kind === "adjust") return `${layer.name} changes ${channel.name}: press to leave it as it is`;
  return layer.kind === "fill" ? `${channel.name} of ${layer.name}: press to set (${more})` : `${channel.name} of the group; ${more}`;
}

function Value({ channel, value, name }: { channel: Channel; value: readonly number[] | null; name?: string }) {
  if (!value) return <i className="dot" />;
  if (channel.kind === "colour")
    return (
      <span className="value" style={{ background: toHex(value), color: (value[1] ?? 0) > 0.55 ? "#161616" : "#f0f0f0" }}>
        {name}
      </span>
    );
  const v = value[0] ?? 0;
  const grey = channel.kind === "height" ? undefined : { background: toHex([v, v, v]), color: v > 0.55 ? "#161616" : "#f0f0f0" };
  return (
    <span className="value" style={grey}>
      {written(channel, v)}
    </span>
  );
}

function written(channel: Channel, v: number): string {
  return channel.kind === "height" ? `${v > 0 ? "+" : v < 0 ? "−" : ""}${Math.abs(v).toFixed(2)}` : v.toFixed(2);
}

/** What a fill lays in a channel: one value, or a picture or pattern. */
function FillEditor(props: { layer: Layer; channel: Channel; anchor: HTMLElement; onClose: () => void }) {
  const { layer, channel, anchor, onClose } = props;
  const use = partIn(layer, channel.id);
  const [valued, setValued] = useState(!use.content);
  const [first] = useState(use.content ?? null);
  if (valued) return <ValueEditor {...props} onContent={() => setValued(false)} />;
  return (
    // No modal: the views stay within reach beside it, for a picture has handles on the model.
    <Popper open anchorEl={anchor} placement="top-start" sx={{ zIndex: 1300 }}>
      <Paper elevation={8} onKeyDown={(e) => e.key === "Escape" && onClose()}>
        <ContentEditor
          key={JSON.stringify(use.content)}
          layer={layer}
          channel={channel}
          first={first}
          onValue={() => setValued(true)}
          onClose={onClose}
        />
      </Paper>
    </Popper>
  );
}

function ValueEditor({
  layer,
  channel,
  anchor,
  onClose,
  onContent,
}: {
  layer: Layer;
  channel: Channel;
  anchor: HTMLElement;
  onClose: () => void;
  onContent: () => void;
}) {
  const use = partIn(layer, channel.id);
  const first = use.value ?? (channel.id === "base_color" ? [...workshop.getState().colours[0]] : [...channel.start]);
  const [value, setValue] = useState<number[]>([...first]);
  const [changed, setChanged] = useState(false);
  const put = (v: number[]): void => {
    setValue(v);
    setChanged(true);
  };
  const height = channel.kind === "height";
  const close = (): void => {
    if (changed)
      void setPart(
        layer,
        channel.id,
        { on: true, value, content: null, role: null, ...(height && !use.blend ? { blend: "height-add" } : {}) },
        `${channel.name} of ${layer.name}`,
      );
    onClose();
  };
  return (
    <Popover
      open
      anchorEl={anchor}
      onClose={close}
      anchorOrigin={{ vertical: "top", horizontal: "left" }}
      transformOrigin={{ vertical: "bottom", horizontal: "left" }}
    >
      <div role="dialog" aria-label={`${channel.name} of ${layer.name}`} className="editor">
        {channel.kind === "colour" ? (
          <>
            <HexColorPicker color={toHex(value)} onChange={(hex) => put(fromHex(hex) ?? value)} />
            <div className="prow">
              <label className="label" htmlFor="cell-hex">
                {channel.name}
              </label>
              <TextInput
                sx={{ width: 80 }}
                id="cell-hex"
                key={toHex(value)}
                defaultValue={toHex(value)}
                onBlur={(e) => fromHex(e.target.value) && put(fromHex(e.target.value) as number[])}
              />
            </div>
          </>
        ) : (
          <NamedSlider
            label={channel.name}
            title={height ? "Above 0 raises, below 0 carves" : channel.name}
            value={value[0] ?? 0}
            low={height ? -1 : 0}
            high={1}
            step={0.01}
            unit="number"
            onChange={(v) => put([v])}
          />
        )}
        {channel.kind === "colour" && <RoleChoice layer={layer} channel={channel} value={value} onClose={onClose} />}
        <div className="prow">
          <PushButton onClick={close}>Set</PushButton>
          <Tooltip title="A picture, a pattern or two values mixed by noise">
            <PushButton onClick={onContent}>Picture or pattern…</PushButton>
          </Tooltip>
          <span className="push" />
          {use.value && (
            <PushButton
              onClick={() => {
                void setPart(layer, channel.id, { value: null }, `Clear ${channel.name} of ${layer.name}`);
                onClose();
              }}
            >
              Say nothing here
            </PushButton>
          )}
        </div>
      </div>
    </Popover>
  );
}

/** The swatch role that a fill is laid as, so that the role's colour is its own. */
function RoleChoice({ layer, channel, value, onClose }: { layer: Layer; channel: Channel; value: number[]; onClose: () => void }) {
  const use = partIn(layer, channel.id);
  const roles = useWorkshop((s) => s.project?.document.settings.roles) ?? [];
  const lay = async (id: string): Promise<void> => {
    onClose();
    let role: string | null = id || null;
    if (id === "new") {
      const name = await askedName("Add a role", "Name, e.g. Hull", layer.name, "Add role");
      role = name ? await addRole(name, value as RGB) : null;
      if (!role) return;
    }
    await setPart(
      layer,
      channel.id,
      { on: true, content: null, role, value },
      role ? `Lay ${layer.name} as a role` : `${layer.name} by its own colour`,
    );
  };
  return (
    <div className="prow">
      <span className="label">As role</span>
      <Dropdown
        label="Swatch role"
        value={use.role ?? ""}
        options={[{ id: "", name: "None" }, ...roles.map((r) => ({ id: r.id, name: r.name })), { id: "new", name: "New role…" }]}
        onChoose={(id) => void lay(id)}
      />
    </div>
  );
}

/** On or off, strength and blend mode of a layer in one channel. */
function UseMenu({ layer, channel, anchor, onClose }: { layer: Layer; channel: Channel; anchor: HTMLElement; onClose: () => void }) {
  const modes = useWorkshop((s) => s.registries?.blend_modes)?.filter((m) => m.kinds.includes(channel.kind));
  const use = partIn(layer, channel.id);
  const [strength, setStrength] = useState(use.strength);
  const [relief, setRelief] = useState(use.relief ?? 1);
  return (
    <Menu anchorEl={anchor} open onClose={onClose} slotProps={{ paper: { sx: { maxHeight: 440, minWidth: 190 } } }}>
      <MenuItem
        onClick={() => {
          void setPart(layer, channel.id, { on: !use.on }, `${use.on ? "Switch off" : "Switch on"} ${channel.name} of ${layer.name}`);
          onClose();
        }}
      >
        {use.on ? `Switch off in ${channel.name}` : `Switch on in ${channel.name}`}
      </MenuItem>
      <li className="inmenu">
        Strength {Math.round(strength * 100)}
        <Slider
          aria-label={`Strength in ${channel.name}`}
          value={strength}
          min={0}
          max={1}
          step={0.01}
          onChange={(_, v) => setStrength(v as number)}
          onChangeCommitted={(_, v) => void setPart(layer, channel.id, { strength: v as number }, `Strength of ${layer.name} in ${channel.name}`)}
        />
      </li>
      {channel.kind === "height" && (
        <li className="inmenu">
          Relief × {relief.toFixed(2)}
          <Slider
            aria-label="Relief of the layer"
            value={relief}
            min={0}
            max={4}
            step={0.05}
            onChange={(_, v) => setRelief(v as number)}
            onChangeCommitted={(_, v) => void setPart(layer, channel.id, { relief: v as number }, `Relief of ${layer.name}`)}
          />
        </li>
      )}
      <MenuItem
        selected={!use.blend}
        onClick={() => void setPart(layer, channel.id, { blend: null }, `${layer.name}: layer's blend mode in ${channel.name}`).then(onClose)}
      >
        As the layer
      </MenuItem>
      {modes?.map((m) => (
        <MenuItem
          key={m.id}
          selected={use.blend === m.id}
          onClick={() => void setPart(layer, channel.id, { blend: m.id }, `${layer.name}: ${m.name} in ${channel.name}`).then(onClose)}
        >
          {m.name}
        </MenuItem>
      ))}
    </Menu>
  );
}
