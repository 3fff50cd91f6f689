import { Tooltip } from "@mui/material";
import { useSheet, useWorkshop } from "../state/hooks";
import { setLevel, toldLevel } from "../state/levels";
import { Icon } from "../ui/icons";

/** The level that vertices are painted at; there is none on a sheet. */
export function LevelSteps() {
  const sheet = useSheet();
  const levels = useWorkshop((s) => s.model?.sheets.find((x) => x.id === sheet?.id)?.levels) ?? [];
  const busy = useWorkshop((s) => s.job !== null);
  if (sheet?.of !== "vertices") return null;
  const down = toldLevel(levels, sheet.level - 1);
  const up = toldLevel(levels, sheet.level + 1);
  return (
    <div className="levels" role="group" aria-label="Level">
      <span className="label">Level</span>
      <Tooltip title={down ? `Fewer vertices: ${down}. What the finer level holds is kept.` : "This is the model as it is"}>
        <span>
          <button
            className="iconbtn small"
            aria-label="Lower the level"
            disabled={busy || !down}
            onClick={() => void setLevel(sheet, { level: sheet.level - 1 })}
          >
            <Icon name="minus" />
          </button>
        </span>
      </Tooltip>
      <Tooltip title={toldLevel(levels, sheet.level) ?? ""}>
        <b role="status" aria-label={`Level ${sheet.level}`}>
          {sheet.level}
        </b>
      </Tooltip>
      <Tooltip title={up ? `More vertices: ${up}` : "There is no finer level"}>
        <span>
          <button
            className="iconbtn small"
            aria-label="Raise the level"
            disabled={busy || !up}
            onClick={() => void setLevel(sheet, { level: sheet.level + 1 })}
          >
            <Icon name="plus" />
          </button>
        </span>
      </Tooltip>
    </div>
  );
}
