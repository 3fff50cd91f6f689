import { useDraggable, useDroppable } from "@dnd-kit/core";
import { Menu, MenuItem, Slider, Tooltip } from "@mui/material";
import { useState } from "react";
import type { Channel, Layer, Sheet } from "../api/types";
import { duplicateLayer } from "../state/edits";
import { chooseTarget } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { mergeDown, nudgeLayer, removeLayer, setLayer, soloLayer } from "../state/layerActions";
import { shownIds } from "../state/layers";
import type { Row } from "../state/layers";
import { Icon } from "../ui/icons";
import { ChannelCell } from "./ChannelCell";
import { MaskCell } from "./MaskCell";

interface Props {
  row: Row;
  sheet: Sheet;
  channels: readonly Channel[];
  closed: boolean;
  over: string | null;
  onFold: () => void;
}

const GLYPHS = { paint: "paint", fill: "filled", adjust: "half14", group: "group" } as const;

export function LayerRow({ row, sheet, channels, closed, over, onFold }: Props) {
  const { layer, depth } = row;
  const selected = useWorkshop((s) => s.target?.sheet === sheet.id && s.target.layer === layer.id);
  const drag = useDraggable({ id: layer.id });
  const drop = useDroppable({ id: layer.id });
  const inside = useDroppable({ id: `into:${layer.id}`, disabled: layer.kind !== "group" });
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const solo = sheet.solo === layer.id;
  const shows = layer.visible && shownIds(sheet).has(layer.id);
  const classes = ["gr", selected && "sel", !shows && "dim", over === layer.id && "drop", drag.isDragging && "lift"].filter(Boolean).join(" ");
  return (
    <div className={classes} role="row" aria-label={layer.name} aria-selected={selected} ref={drop.setNodeRef}>
      <span role="cell" className="mid flush">
        <Tooltip title={layer.visible ? "Hide this layer" : "Show this layer"}>
          <button
            className="iconbtn small"
            aria-label={`Show ${layer.name}`}
            aria-pressed={layer.visible}
            onClick={() => void setLayer(layer, { visible: !layer.visible }, `${layer.visible ? "Hide" : "Show"} ${layer.name}`)}
          >
            <Icon name={layer.visible ? "eye" : "closed"} size={16} />
          </button>
        </Tooltip>
      </span>
      {menu && <RowMenu layer={layer} sheet={sheet} anchor={menu} onClose={() => setMenu(null)} />}
      <span
        role="rowheader"
        tabIndex={-1}
        className="name"
        onContextMenu={(e) => {
          e.preventDefault();
          setMenu(e.currentTarget);
        }}
        style={{ paddingLeft: 6 + depth * 16, background: over === `into:${layer.id}` ? "var(--on)" : undefined }}
        ref={inside.setNodeRef}
      >
        {layer.kind === "group" && (
          <button className="iconbtn small fold" aria-label={`${closed ? "Open" : "Close"} ${layer.name}`} aria-expanded={!closed} onClick={onFold}>
            <Icon name={closed ? "right" : "down"} />
          </button>
        )}
        <span ref={drag.setNodeRef} {...drag.listeners} className="grip" title="Drag to reorder">
          <Icon name={GLYPHS[layer.kind]} />
        </span>
        <LayerName layer={layer} sheet={sheet} channels={channels} />
        {solo && (
          <Tooltip title="Only this layer shows: press to show all again">
            <button className="src" onClick={() => void soloLayer(layer)}>
              solo
            </button>
          </Tooltip>
        )}
      </span>
      <span role="cell" className="flush">
        <Tooltip title={layer.locked ? "Unlock this layer" : "Lock this layer against strokes"}>
          <button
            className="iconbtn small"
            style={{ opacity: layer.locked ? 1 : 0.45 }}
            aria-label={`Lock ${layer.name}`}
            aria-pressed={layer.locked}
            onClick={() => void setLayer(layer, { locked: !layer.locked }, `${layer.locked ? "Unlock" : "Lock"} ${layer.name}`)}
          >
            <Icon name={layer.locked ? "lock" : "unlock"} />
          </button>
        </Tooltip>
      </span>
      <span role="cell" className="tight">
        <BlendChoice layer={layer} />
      </span>
      <span role="cell" className="strength">
        <LayerStrength key={layer.strength} layer={layer} />
      </span>
      <span role="cell" className="c start">
        <MaskCell layer={layer} sheet={sheet} />
      </span>
      {channels.map((c) => (
        <span role="cell" className="c" key={c.id}>
          <ChannelCell layer={layer} channel={c} sheet={sheet} />
        </span>
      ))}
    </div>
  );
}

/** Right press on a layer's name. */
function RowMenu({ layer, sheet, anchor, onClose }: { layer: Layer; sheet: Sheet; anchor: HTMLElement; onClose: () => void }) {
  const sheets = useWorkshop((s) => s.project?.document.sheets) ?? [];
  const act = (run: () => Promise<void>) => () => {
    onClose();
    void run();
  };
  return (
    <Menu anchorEl={anchor} open onClose={onClose}>
      <MenuItem onClick={act(() => soloLayer(layer))}>{sheet.solo === layer.id ? "Show all layers" : "Show only this layer (solo)"}</MenuItem>
      <MenuItem onClick={act(() => duplicateLayer(layer.id))}>Duplicate</MenuItem>
      {sheets
        .filter((s) => s.id !== sheet.id)
        .map((s) => (
          <MenuItem key={s.id} onClick={act(() => duplicateLayer(layer.id, s.id))}>
            Copy onto {s.name}
          </MenuItem>
        ))}
      <MenuItem onClick={act(() => mergeDown(layer.id))}>Merge down</MenuItem>
      <MenuItem onClick={act(() => removeLayer(layer.id))}>Delete</MenuItem>
    </Menu>
  );
}

function LayerName({ layer, sheet, channels }: { layer: Layer; sheet: Sheet; channels: readonly Channel[] }) {
  const [editing, setEditing] = useState(false);
  if (editing) {
    const done = (text: string): void => {
      setEditing(false);
      if (text.trim() && text !== layer.name) void setLayer(layer, { name: text.trim() }, `Rename to ${text.trim()}`);
    };
    return (
      <input
        autoFocus
        aria-label="Layer name"
        maxLength={80}
        defaultValue={layer.name}
        onBlur={(e) => done(e.target.value)}
        onKeyDown={(e) => (e.key === "Enter" ? e.currentTarget.blur() : e.key === "Escape" && setEditing(false))}
      />
    );
  }
  return (
    <button
      className="text"
      title="Press to target, twice to rename, right press for more, Alt+↑ or ↓ to move"
      onDoubleClick={() => setEditing(true)}
      onKeyDown={(e) => {
        if (e.altKey && (e.key === "ArrowUp" || e.key === "ArrowDown")) {
          e.preventDefault();
          e.stopPropagation();
          void nudgeLayer(layer.id, e.key === "ArrowUp" ? -1 : 1);
        }
        if (e.key === "F2") setEditing(true);
      }}
      onClick={() =>
        chooseTarget({
          sheet: sheet.id,
          layer: layer.id,
          channels: layer.kind === "paint" ? channels.slice(0, 1).map((c) => c.id) : [],
          mask: null,
          mesh_map: null,
        })
      }
    >
      {layer.name}
    </button>
  );
}

function BlendChoice({ layer }: { layer: Layer }) {
  const modes = useWorkshop((s) => s.registries?.blend_modes);
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const name = modes?.find((m) => m.id === layer.blend)?.name ?? layer.blend;
  return (
    <>
      <Tooltip title={`Blend mode: ${name}`}>
        <button
          className="blendbtn"
          aria-haspopup="menu"
          aria-label={`Blend mode of ${layer.name}: ${name}`}
          onClick={(e) => setAnchor(e.currentTarget)}
        >
          <span className="ell">{name}</span>
          <Icon name="down" />
        </button>
      </Tooltip>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)} slotProps={{ paper: { sx: { maxHeight: 420 } } }}>
        {modes
          ?.filter((m) => m.kinds.includes("colour"))
          .map((m) => (
            <MenuItem
              key={m.id}
              selected={m.id === layer.blend}
              onClick={() => {
                setAnchor(null);
                void setLayer(layer, { blend: m.id }, `${layer.name}: ${m.name}`);
              }}
            >
              {m.name}
            </MenuItem>
          ))}
      </Menu>
    </>
  );
}

function LayerStrength({ layer }: { layer: Layer }) {
  const [value, setValue] = useState(layer.strength);
  return (
    <>
      <Slider
        size="small"
        aria-label={`Strength of ${layer.name}`}
        value={value}
        min={0}
        max={1}
        step={0.01}
        onChange={(_, v) => setValue(v as number)}
        onChangeCommitted={(_, v) => void setLayer(layer, { strength: v as number }, `Strength of ${layer.name}`)}
      />
      <span className="percent">{Math.round(value * 100)}</span>
    </>
  );
}
