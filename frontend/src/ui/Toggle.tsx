import { ToggleButton, type ToggleButtonProps } from "@mui/material";

type Props = Omit<ToggleButtonProps, "value" | "selected" | "onChange" | "onClick"> & { on: boolean; onToggle: () => void; plain?: boolean };

/** On or off, or one of several side by side: a dot says which. `plain`: without one, among buttons of a view's head. */
export function Toggle({ on, onToggle, plain = false, ...rest }: Props) {
  return <ToggleButton {...rest} className={plain ? undefined : "dotted"} value="on" selected={on} onChange={onToggle} />;
}
