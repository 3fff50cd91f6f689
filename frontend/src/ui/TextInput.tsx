import { InputBase, type SxProps } from "@mui/material";
import type { InputHTMLAttributes } from "react";

type Props = Omit<InputHTMLAttributes<HTMLInputElement>, "color" | "size"> & { sx?: SxProps };

/** A field as high as the buttons beside it. */
export function TextInput({ sx, ...input }: Props) {
  return <InputBase className="field" sx={sx} slotProps={{ input: input as object }} />;
}
