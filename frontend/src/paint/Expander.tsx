import { Tooltip } from "@mui/material";
import { Icon } from "../ui/icons";

/** Opens and closes the rest of a card. */
export function Expander({ open, name, hint, onToggle }: { open: boolean; name: string; hint: string; onToggle: () => void }) {
  return (
    <Tooltip title={open ? `Close the ${name}` : hint}>
      <button className="iconbtn small" aria-label={open ? `Close the ${name}` : `Open the ${name}`} aria-expanded={open} onClick={onToggle}>
        <Icon name={open ? "down" : "right"} size={11} />
      </button>
    </Tooltip>
  );
}
