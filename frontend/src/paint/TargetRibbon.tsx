import { useStore } from "zustand";
import { toolKind } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { findLayer, findSheet, targetTrouble } from "../state/layers";
import { masks, maskTrouble } from "../state/masks";
import { limits } from "./ConfineCard";
import { VariantChoice } from "./VariantChoice";

/** Always says what the next stroke changes. */
export function TargetRibbon() {
  const document = useDocument();
  const target = useWorkshop((s) => s.target);
  const tool = useWorkshop(toolKind);
  const confined = useWorkshop((s) => (s.confined && s.tool !== "pick" ? limits(s.confine, 0, 90) : 0));
  const maps = useWorkshop((s) => s.registries?.bake.maps);
  const view = useStore(masks, (s) => s.view);
  useStore(masks, (s) => s.open);
  if (!document) return null;
  const trouble = targetTrouble(document, target) ?? maskTrouble(view, target);
  if (!target || (trouble && !target.mesh_map && !findLayer(findSheet(document, target.sheet), target.layer))) {
    return (
      <div className="ribbon none" role="status" aria-label="Target">
        {trouble}
      </div>
    );
  }
  const sheet = findSheet(document, target.sheet);
  const layer = findLayer(sheet, target.layer);
  const source = layer?.mask?.sources.find((s) => s.id === target.mask);
  const map = maps?.find((m) => m.id === target.mesh_map);
  const where = map
    ? map.name
    : source
      ? `Mask · painted source`
      : target.channels.map((id) => document.channels.find((c) => c.id === id)?.name).join(" · ");
  return (
    <div className={trouble ? "ribbon none" : "ribbon"} role="status" aria-label="Target">
      {trouble ? (
        <span>{trouble}. Strokes change nothing.</span>
      ) : (
        <>
          <span className="quiet">{tool?.verb}</span>
          <span className="quiet">{sheet?.name} ›</span>
          <b>{map ? "Touch-up" : layer?.name}</b>
          <span className="quiet">›</span>
          <span className="where">{where}</span>
          {confined > 0 && <span className="quiet">· confined</span>}
        </>
      )}
      <span className="push" />
      <VariantChoice />
    </div>
  );
}
