import { Tooltip } from "@mui/material";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";
import { Dropdown } from "../ui/Dropdown";

/** How what is laid meets what is there. */
export function BlendChoice() {
  const modes = useWorkshop((s) => s.registries?.blend_modes);
  const blend = useWorkshop((s) => s.blend);
  return (
    <div className="prow">
      <span className="label">Blend mode</span>
      <Tooltip title="How the paint meets what is there; what comes out is laid on the target">
        <Dropdown label="Blend mode of the paint" value={blend} options={modes ?? []} onChoose={(id) => workshop.setState({ blend: id })} />
      </Tooltip>
    </div>
  );
}
