import { Tooltip } from "@mui/material";
import { Segment, Segments } from "./Segments";

/** A labelled row of words of which one holds, or none (null). */
export function ChoiceRow<T extends string>({
  label,
  options,
  value,
  onChange,
}: {
  label: string;
  options: readonly (readonly [T, string, string])[];
  value: T | null;
  onChange: (value: T) => void;
}) {
  return (
    <div className="prow">
      <span className="label">{label}</span>
      <Segments label={label}>
        {options.map(([id, name, about]) => (
          <Tooltip key={id} title={about}>
            <Segment on={value === id} onChoose={() => onChange(id)}>
              {name}
            </Segment>
          </Tooltip>
        ))}
      </Segments>
    </div>
  );
}
