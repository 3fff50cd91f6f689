import { Tooltip } from "@mui/material";
import { useStore } from "zustand";
import type { Layer, MaskStep, Sheet } from "../api/types";
import { chooseTarget } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { masks, openMask } from "../state/masks";

/** A layer's mask: what it looks like, and a chip for each source. A press opens it; a painted source becomes the target too. */
export function MaskCell({ layer, sheet }: { layer: Layer; sheet: Sheet }) {
  const target = useWorkshop((s) => s.target);
  const picture = useWorkshop((s) => s.cells[`${layer.id}/mask`]);
  const parts = useWorkshop((s) => s.model?.parts);
  const kinds = useWorkshop((s) => s.registries?.stack.sources);
  const waiting = useWorkshop((s) => s.waiting[layer.id]);
  const open = useStore(masks, (s) => s.open?.layer === layer.id && s.open.sheet === sheet.id);
  const steps = layer.mask?.sources ?? [];
  const sources = steps.filter((s) => "combine" in s);
  const shapers = steps.length - sources.length;
  const mine = target?.sheet === sheet.id && target.layer === layer.id && target.mask;
  const name = (s: MaskStep): string => {
    const kind = kinds?.find((k) => k.id === s.kind)?.name ?? s.kind;
    if (s.kind !== "faces") return kind;
    const first = s.picks[0];
    if (!first) return kind;
    const label = first.by === "part" ? (parts?.[first.index]?.name ?? "part") : first.by;
    return s.picks.length > 1 ? `${label} +${s.picks.length - 1}` : label;
  };
  const press = (s: MaskStep | null): void => {
    openMask(sheet.id, layer.id);
    if (s?.kind === "painted") chooseTarget({ sheet: sheet.id, layer: layer.id, channels: [], mask: s.id, mesh_map: null });
  };
  return (
    <div className={["cell maskcell", mine && "target", open && "opened", layer.mask && !layer.mask.on && "off"].filter(Boolean).join(" ")}>
      <Tooltip title={steps.length ? "Mask: press to open it" : "No mask: press to give this layer one"}>
        <button aria-label={`Mask of ${layer.name}`} aria-pressed={open} onClick={() => press(null)} className="maskpic">
          {steps.length ? picture ? <img src={picture} alt="" /> : <span className="src">…</span> : <i className="dot" />}
        </button>
      </Tooltip>
      {sources.map((s) => (
        <Tooltip
          key={s.id}
          title={s.kind === "painted" ? "Paint this mask" : waiting?.includes(s.id) ? "It waits for something: open the mask" : "Open the mask"}
        >
          <button
            className={["src", mine === s.id && "hit", !s.on && "off", waiting?.includes(s.id) && "waits"].filter(Boolean).join(" ")}
            aria-label={`Mask of ${layer.name}: ${name(s)}`}
            aria-pressed={s.kind === "painted" ? mine === s.id : undefined}
            onClick={() => press(s)}
          >
            {s.invert ? "¬ " : ""}
            {name(s)}
          </button>
        </Tooltip>
      ))}
      {shapers > 0 && (
        <span className="quiet" title={`${shapers} ${shapers === 1 ? "shaper" : "shapers"}`}>
          ƒ{shapers}
        </span>
      )}
    </div>
  );
}
