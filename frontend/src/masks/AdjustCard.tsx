import { useState } from "react";
import type { AdjustLayer, Edit } from "../api/types";
import { useSheet, useWorkshop } from "../state/hooks";
import { setLayer } from "../state/layerActions";
import { findLayer } from "../state/layers";
import { forgetTrial, tryEdit } from "../state/masks";
import { ControlRow } from "./controls";
import type { Values } from "./controls";

/** What the target's adjustment layer does. */
export function AdjustCard() {
  const sheet = useSheet();
  const target = useWorkshop((s) => s.target);
  const layer = target && target.sheet === sheet?.id ? findLayer(sheet, target.layer) : undefined;
  if (!sheet || layer?.kind !== "adjust") return null;
  return <Controls key={`${layer.id}/${JSON.stringify(layer.adjust)}`} layer={layer} sheet={sheet.id} />;
}

function Controls({ layer, sheet }: { layer: AdjustLayer; sheet: string }) {
  const kind = useWorkshop((s) => s.registries?.stack.adjustments.find((k) => k.id === layer.adjust.kind));
  const [draft, setDraft] = useState(layer.adjust);
  const changed = (change: Values): AdjustLayer["adjust"] => ({ ...draft, ...change }) as AdjustLayer["adjust"];
  return (
    <section className="card" aria-label={`Adjustment ${layer.name}`}>
      <div className="chead">
        <h2>{kind?.name ?? "Adjustment"}</h2>
        <span className="quiet ell">{layer.name}</span>
      </div>
      {kind?.controls.map((c) => (
        <ControlRow
          key={c.id}
          control={c}
          values={draft as unknown as Values}
          owner={{ id: layer.id, kind: layer.adjust.kind }}
          onTry={(change) => {
            setDraft(changed(change));
            tryEdit(sheet, { edit: "set-layer", sheet, layer: layer.id, values: { adjust: changed(change) } } as Edit);
          }}
          onTake={(change) => {
            forgetTrial();
            setDraft(changed(change));
            void setLayer(layer, { adjust: changed(change) } as Partial<AdjustLayer>, `${kind.name}: ${layer.name}`);
          }}
        />
      ))}
      {layer.adjust.kind === "unknown" && (
        <p className="note">“{layer.adjust.of}” comes from a plug-in that is not installed here. It is kept, but has no effect.</p>
      )}
      <p className="note">It changes the channels whose cells say “adjusts”; press a cell to add or leave one.</p>
    </section>
  );
}
