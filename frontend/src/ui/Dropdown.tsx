import { ListSubheader, MenuItem, Select, type SelectProps } from "@mui/material";
import type { HTMLAttributes, ReactNode } from "react";

export interface Option {
  id: string;
  name: string;
  /** What stands over the options that share it. */
  group?: string;
}

type Props = Omit<SelectProps<string>, "onChange" | "label" | "value" | "children"> & {
  label: string;
  value: string;
  options: readonly Option[];
  onChoose: (id: string) => void;
};

/** One of a list. A value that is not in it shows as nothing chosen. */
export function Dropdown({ label, value, options, onChoose, ...rest }: Props) {
  const items: ReactNode[] = [];
  options.forEach((o, i) => {
    if (o.group && o.group !== options[i - 1]?.group) items.push(<ListSubheader key={`group ${o.group}`}>{o.group}</ListSubheader>);
    items.push(
      <MenuItem key={o.id} value={o.id}>
        {o.name}
      </MenuItem>,
    );
  });
  return (
    <Select
      {...rest}
      className="row"
      value={options.some((o) => o.id === value) ? value : ""}
      displayEmpty
      onChange={(e) => onChoose(e.target.value)}
      SelectDisplayProps={{ "aria-label": label } as HTMLAttributes<HTMLDivElement>}
      MenuProps={{ slotProps: { paper: { sx: { maxHeight: 420 } } } }}
      renderValue={(id) => options.find((o) => o.id === id)?.name ?? "–"}
    >
      {items}
    </Select>
  );
}
