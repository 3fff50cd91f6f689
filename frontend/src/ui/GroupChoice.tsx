import { Tooltip } from "@mui/material";
import type { FacePick } from "../api/types";
import { useDocument } from "../state/hooks";
import { Dropdown } from "./Dropdown";

/** Takes the faces of a kept face group; nothing while none is kept. */
export function GroupChoice({ about, onTake }: { about: string; onTake: (picks: FacePick[]) => void }) {
  const sets = useDocument()?.face_sets ?? [];
  if (!sets.length) return null;
  return (
    <Tooltip title={about}>
      <Dropdown
        label="Kept face group"
        value=""
        options={[{ id: "", name: "Group…" }, ...sets]}
        onChoose={(id) => {
          const found = sets.find((s) => s.id === id);
          if (found) onTake(found.picks);
        }}
      />
    </Tooltip>
  );
}
