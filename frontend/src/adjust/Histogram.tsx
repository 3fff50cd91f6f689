import { Tooltip } from "@mui/material";
import { useEffect } from "react";
import { useStore } from "zustand";
import type { AdjustLayer } from "../api/types";
import { adjusting, countBeneath, countOf } from "../state/adjusting";
import type { Scope } from "../state/adjusting";
import { useWorkshop } from "../state/hooks";
import { Segment, Segments } from "../ui/Segments";
import { HIGH, WIDE, outline } from "./outline";

const SCOPES: readonly [Scope, string, string][] = [
  ["seen", "Seen", "Counts what the 3D view shows now"],
  ["picked", "Picked", "Counts the faces picked by box or lasso"],
  ["all", "All", "Counts the whole sheet"],
];

/** How often each value lies beneath the adjustment. */
export function Histogram({ layer }: { layer: AdjustLayer }) {
  const bins = useStore(adjusting, (s) => s.bins);
  const scope = useStore(adjusting, (s) => s.scope);
  const revision = useWorkshop((s) => s.project?.revision);
  const picked = useWorkshop((s) => s.picked);
  useEffect(() => {
    void countBeneath();
  }, [layer.id, revision, picked]);
  return (
    <div role="group" aria-label="Values beneath">
      <svg className="hist" viewBox={`0 0 ${WIDE} ${HIGH}`} preserveAspectRatio="none" role="img" aria-label="Histogram of the values beneath">
        {bins?.map((b, k) => (
          <path key={k} d={outline(b)} className={bins.length === 3 ? `hist-${"rgb"[k]}` : "hist-v"} />
        ))}
      </svg>
      <div className="prow">
        <span className="label">Counted</span>
        <Segments label="What is counted">
          {SCOPES.map(([id, name, about]) => (
            <Tooltip key={id} title={about}>
              <Segment on={scope === id} onChoose={() => countOf(id)}>
                {name}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
      </div>
    </div>
  );
}
