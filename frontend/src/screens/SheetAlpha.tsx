import { MenuItem, TextField, Tooltip } from "@mui/material";
import type { Sheet } from "../api/types";
import { edit } from "../state/edits";
import { Toggle } from "../ui/Toggle";

const MODES: readonly [Sheet["alpha_mode"], string][] = [
  ["auto", "as painted"],
  ["opaque", "ignored"],
  ["mask", "cut out"],
  ["blend", "blended"],
];

/** What the file says of a sheet's surface, and what a GLB will say of it again: two sides, and what opacity means. */
export function SheetAlpha({ sheet }: { sheet: Sheet }) {
  const set = (values: Partial<Sheet>, label: string): void => void edit(label, { edit: "set-sheet", sheet: sheet.id, values });
  return (
    <div className="prow apart">
      <Tooltip title="What engines do with opacity when they show the GLB" placement="left">
        <TextField
          select
          label="Opacity is"
          value={sheet.alpha_mode}
          onChange={(e) => set({ alpha_mode: e.target.value as Sheet["alpha_mode"] }, `Opacity of ${sheet.name}`)}
          sx={{ width: 112 }}
        >
          {MODES.map(([id, name]) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
      </Tooltip>
      {sheet.alpha_mode === "mask" && (
        <TextField
          label="Below, %"
          title="Less opacity than this shows nothing"
          type="number"
          key={sheet.alpha_cutoff}
          defaultValue={Math.round(sheet.alpha_cutoff * 100)}
          onBlur={(e) => {
            const share = Number(e.target.value) / 100;
            if (share >= 0 && share <= 1 && share !== sheet.alpha_cutoff) set({ alpha_cutoff: share }, `Opacity of ${sheet.name}`);
          }}
          slotProps={{ htmlInput: { min: 0, max: 100 } }}
          sx={{ width: 74 }}
        />
      )}
      <Tooltip title="Whether engines show the back of its faces; the views here always do">
        <Toggle on={sheet.double_sided} onToggle={() => set({ double_sided: !sheet.double_sided }, `Sides of ${sheet.name}`)}>
          Two-sided
        </Toggle>
      </Tooltip>
    </div>
  );
}
