import { Button, type ButtonProps } from "@mui/material";

/** A button of cards and view heads, as high as a row of them. */
export function PushButton(props: ButtonProps) {
  return <Button variant="outlined" {...props} />;
}
