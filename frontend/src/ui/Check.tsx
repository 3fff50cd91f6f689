import { Checkbox, type CheckboxProps } from "@mui/material";

/** A checkbox no higher than its row. */
export function Check({ "aria-label": label, ...rest }: CheckboxProps) {
  return <Checkbox {...rest} slotProps={{ input: { "aria-label": label } }} />;
}
