import { Menu, MenuItem, Tooltip } from "@mui/material";
import { useState } from "react";
import type { Layer, Mask, MaskSource, Sheet } from "../api/types";
import { useWorkshop } from "../state/hooks";
import { SOURCE_NAMES } from "../state/layers";
import { chooseTarget, workshop } from "../state/workshop";
import { addMaskSource, setLayer } from "./actions";

/** A layer's mask: what it looks like, and a chip for each source. A painted source becomes the target when pressed. */
export function MaskCell({ layer, sheet }: { layer: Layer; sheet: Sheet }) {
  const target = useWorkshop((s) => s.target);
  const picture = useWorkshop((s) => s.cells[`${layer.id}/mask`]);
  const parts = useWorkshop((s) => s.model?.parts);
  const [menu, setMenu] = useState<HTMLElement | null>(null);
  const sources = layer.mask?.sources ?? [];
  const mine = target?.sheet === sheet.id && target.layer === layer.id && target.mask;
  const aim = (source: MaskSource): void => {
    if (source.kind === "painted") chooseTarget({ sheet: sheet.id, layer: layer.id, channels: [], mask: source.id, mesh_map: null });
  };
  const name = (s: MaskSource): string => {
    if (s.kind !== "faces") return SOURCE_NAMES[s.kind];
    const first = s.picks[0];
    if (!first) return "Faces";
    const label = first.by === "part" ? (parts?.[first.index]?.name ?? "part") : first.by;
    return s.picks.length > 1 ? `${label} +${s.picks.length - 1}` : label;
  };
  return (
    <div
      className={["cell maskcell", mine && "target", layer.mask && !layer.mask.on && "off"].filter(Boolean).join(" ")}
      onContextMenu={(e) => {
        e.preventDefault();
        setMenu(e.currentTarget);
      }}
    >
      <Tooltip title={sources.length ? "Mask: press to change it" : "No mask: press to give this layer one"}>
        <button aria-label={`Mask of ${layer.name}`} aria-haspopup="menu" onClick={(e) => setMenu(e.currentTarget)} style={{ display: "flex", minWidth: 24, height: 26, alignItems: "center", justifyContent: "center" }}>
          {sources.length ? picture ? <img src={picture} alt="" /> : <span className="src">…</span> : <i className="dot" />}
        </button>
      </Tooltip>
      {sources.map((s) => (
        <Tooltip key={s.id} title={s.kind === "painted" ? "Paint this mask" : "Reveals picked faces"}>
          <button className={mine === s.id ? "src hit" : "src"} aria-label={`Mask of ${layer.name}: ${name(s)}`} aria-pressed={s.kind === "painted" ? mine === s.id : undefined} onClick={(e) => (s.kind === "painted" ? aim(s) : setMenu(e.currentTarget))}>
            {s.invert ? "¬ " : ""}
            {name(s)}
          </button>
        </Tooltip>
      ))}
      {menu && <MaskMenu layer={layer} anchor={menu} onClose={() => setMenu(null)} />}
    </div>
  );
}

function MaskMenu({ layer, anchor, onClose }: { layer: Layer; anchor: HTMLElement; onClose: () => void }) {
  const parts = useWorkshop((s) => s.model?.parts);
  const [picking, setPicking] = useState(false);
  const mask: Mask | null = layer.mask ?? null;
  const change = (values: Partial<Mask>, label: string): void => {
    if (mask) void setLayer(layer, { mask: { ...mask, ...values } }, label);
    onClose();
  };
  const setSource = (id: string, values: Partial<MaskSource>, label: string): void => {
    if (mask) change({ sources: mask.sources.map((s) => (s.id === id ? ({ ...s, ...values } as MaskSource) : s)) }, label);
  };
  const add = (kind: "painted" | "faces", base: number, picks: { by: "part"; index: number }[] = []): void => {
    onClose();
    void addMaskSource(layer, kind, base, picks);
  };
  if (picking) {
    return (
      <Menu anchorEl={anchor} open onClose={onClose} slotProps={{ paper: { sx: { maxHeight: 420 } } }}>
        {parts?.map((p, index) => (
          <MenuItem key={p.name} onClick={() => add("faces", 0, [{ by: "part", index }])}>
            {p.name}
          </MenuItem>
        ))}
      </Menu>
    );
  }
  return (
    <Menu anchorEl={anchor} open onClose={onClose}>
      <MenuItem onClick={() => add("painted", 0)}>Paint to reveal (starts hidden)</MenuItem>
      <MenuItem onClick={() => add("painted", 1)}>Paint to hide (starts revealed)</MenuItem>
      <MenuItem onClick={() => setPicking(true)}>Reveal a part…</MenuItem>
      {mask && mask.sources.length > 0 && [
        <MenuItem key="invert" onClick={() => change({ invert: !mask.invert }, `Invert mask of ${layer.name}`)}>
          {mask.invert ? "Turn the mask back" : "Invert the mask"}
        </MenuItem>,
        <MenuItem key="on" onClick={() => change({ on: !mask.on }, `Switch mask of ${layer.name}`)}>
          {mask.on ? "Switch the mask off" : "Switch the mask on"}
        </MenuItem>,
        ...mask.sources.map((s) => (
          <MenuItem key={`i${s.id}`} onClick={() => setSource(s.id, { invert: !s.invert }, `Invert a source of ${layer.name}`)}>
            Invert source: {SOURCE_NAMES[s.kind]}
          </MenuItem>
        )),
        ...mask.sources.map((s) => (
          <MenuItem
            key={`r${s.id}`}
            onClick={() => {
              const t = workshop.getState().target;
              if (t?.mask === s.id && t.layer === layer.id) chooseTarget(null);
              change({ sources: mask.sources.filter((x) => x.id !== s.id) }, `Remove a source of ${layer.name}`);
            }}
          >
            Remove source: {SOURCE_NAMES[s.kind]}
          </MenuItem>
        )),
      ]}
    </Menu>
  );
}
