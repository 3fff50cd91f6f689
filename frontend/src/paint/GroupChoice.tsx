import { Tooltip } from "@mui/material";
import type { FacePick } from "../api/types";
import { useDocument } from "../state/hooks";

/** Takes the faces of a kept face group; nothing while none is kept. */
export function GroupChoice({ about, onTake }: { about: string; onTake: (picks: FacePick[]) => void }) {
  const sets = useDocument()?.face_sets ?? [];
  if (!sets.length) return null;
  return (
    <Tooltip title={about}>
      <select
        className="vbtn"
        aria-label="Kept face group"
        value=""
        onChange={(e) => {
          const found = sets.find((s) => s.id === e.target.value);
          if (found) onTake(found.picks);
        }}
      >
        <option value="">Group…</option>
        {sets.map((s) => (
          <option key={s.id} value={s.id}>
            {s.name}
          </option>
        ))}
      </select>
    </Tooltip>
  );
}
