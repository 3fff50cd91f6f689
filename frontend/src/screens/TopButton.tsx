import { Tooltip } from "@mui/material";
import type { MouseEvent } from "react";
import { Icon } from "../ui/icons";
import type { IconName } from "../ui/icons";

export interface TopButtonProps {
  icon: IconName;
  label: string;
  name: string;
  off?: boolean;
  onClick: (event: MouseEvent<HTMLElement>) => void;
}

export function TopButton({ icon, label, name, off, onClick }: TopButtonProps) {
  return (
    <Tooltip title={label}>
      <span>
        <button className="iconbtn" aria-label={name} disabled={off} onClick={onClick}>
          <Icon name={icon} />
        </button>
      </span>
    </Tooltip>
  );
}
