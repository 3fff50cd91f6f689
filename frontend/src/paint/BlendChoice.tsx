import { Tooltip } from "@mui/material";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";

/** How what is laid meets what is there. */
export function BlendChoice() {
  const modes = useWorkshop((s) => s.registries?.blend_modes);
  const blend = useWorkshop((s) => s.blend);
  return (
    <div className="prow">
      <span className="label">Blend mode</span>
      <Tooltip title="How the paint meets what is there; what comes out is laid on the target">
        <select className="vbtn" aria-label="Blend mode of the paint" value={blend} onChange={(e) => workshop.setState({ blend: e.target.value })}>
          {modes?.map((m) => (
            <option key={m.id} value={m.id}>
              {m.name}
            </option>
          ))}
        </select>
      </Tooltip>
    </div>
  );
}
