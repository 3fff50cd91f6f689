import { ToggleButton, ToggleButtonGroup, type ToggleButtonProps } from "@mui/material";
import type { ReactNode } from "react";

/** One of several, joined in a row. */
export function Segments({ label, className, children }: { label: string; className?: string; children: ReactNode }) {
  return (
    <ToggleButtonGroup aria-label={label} className={className}>
      {children}
    </ToggleButtonGroup>
  );
}

type Props = Omit<ToggleButtonProps, "value" | "selected" | "onChange" | "onClick"> & { on: boolean; onChoose: () => void };

export function Segment({ on, onChoose, ...rest }: Props) {
  return <ToggleButton {...rest} value="on" selected={on} onChange={onChoose} />;
}
