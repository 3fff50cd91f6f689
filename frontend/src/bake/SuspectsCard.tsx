import { Tooltip } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import { chooseSheet } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";
import { Toggle } from "../ui/Toggle";

/** Texels where a bake from a high mesh may have gone wrong, by part. */
export function SuspectsCard() {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const revision = useWorkshop((s) => s.project?.revision);
  const shown = useWorkshop((s) => s.suspects);
  const document = useDocument();
  const baked = document?.sheets.some((s) => s.mesh_maps.some((m) => m.id === "suspects")) ?? false;
  const { data } = useQuery({
    queryKey: ["suspects", uid, revision],
    queryFn: () => api.suspects(uid),
    enabled: baked,
    placeholderData: (old) => old,
  });
  if (!baked || !data) return null;
  const total = data.reduce((n, s) => n + s.missed + s.other + s.far, 0);
  return (
    <section className="card" aria-label="Suspect texels">
      <div className="chead">
        <h2>Suspect texels</h2>
        <div className="right">
          {total.toLocaleString()}
          <Tooltip title="Mark them in both views">
            <Toggle on={shown} onToggle={() => workshop.setState({ suspects: !shown })} disabled={!total}>
              Show
            </Toggle>
          </Tooltip>
        </div>
      </div>
      {!total && <p className="note">Every ray met the part it should.</p>}
      {total > 0 && (
        <>
          <div className="legend">
            <span>
              <i className="missed" />
              met nothing
            </span>
            <span>
              <i className="other" />
              another part
            </span>
            <span>
              <i className="far-hit" />
              far limit
            </span>
          </div>
          <div className="list">
            {data.map((s) => (
              <button
                key={`${s.sheet}/${s.part}`}
                className="item"
                aria-label={`${s.part} on ${s.sheet}`}
                onClick={() => {
                  chooseSheet(s.sheet);
                  workshop.setState({ suspects: true });
                }}
              >
                {s.part}
                <span className="count">{(s.missed + s.other + s.far).toLocaleString()}</span>
              </button>
            ))}
          </div>
        </>
      )}
    </section>
  );
}
