import { Slider, Tooltip } from "@mui/material";
import { useState } from "react";
import type { BrushParameter } from "../api/types";

interface Props {
  label: string;
  title: string;
  value: number;
  low: number;
  high: number;
  step: number;
  unit: BrushParameter["unit"] | "count";
  log?: boolean;
  onChange: (value: number) => void;
  /** Called once a value stays: the hand let go, or a number was typed. */
  onDone?: (value: number) => void;
}

function show(value: number, unit: Props["unit"]): string {
  if (unit === "percent") return value < 0.1 && value > -0.1 && value !== 0 ? `${(value * 100).toFixed(1)}%` : `${Math.round(value * 100)}%`;
  if (unit === "count") return String(Math.round(value));
  if (unit === "px") return `${Math.round(value)} px`;
  if (unit === "degrees") return `${Math.round(value)}°`;
  return value.toFixed(2);
}

/** A named slider with a number that can be typed. */
export function NamedSlider({ label, title, value, low, high, step, unit, log, onChange, onDone }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const put = (v: number): number => (log ? Math.log(v) : v);
  const take = (v: number): number => (!log ? v : unit === "px" || unit === "count" ? Math.round(Math.exp(v)) : Math.round(Math.exp(v) * 1000) / 1000);
  const finish = (): void => {
    const number = typed === null ? NaN : parseFloat(typed.replace(",", "."));
    if (Number.isFinite(number)) {
      const value = Math.min(high, Math.max(low, unit === "percent" ? number / 100 : number));
      onChange(value);
      onDone?.(value);
    }
    setTyped(null);
  };
  return (
    <div className="sl">
      <Tooltip title={title} placement="left">
        <span>{label}</span>
      </Tooltip>
      <Slider
        aria-label={label}
        value={put(value)}
        min={put(low)}
        max={put(high)}
        step={log ? 0.02 : step}
        getAriaValueText={() => show(value, unit)}
        onChange={(_, v) => onChange(take(v as number))}
        onChangeCommitted={(_, v) => onDone?.(take(v as number))}
      />
      <input
        className="num"
        aria-label={`${label} value`}
        value={typed ?? show(value, unit)}
        onFocus={(e) => {
          // The same text, unit and all: another would throw the selection away.
          setTyped(show(value, unit));
          e.target.select();
        }}
        onChange={(e) => setTyped(e.target.value)}
        onBlur={finish}
        onKeyDown={(e) => {
          if (e.key === "Enter") e.currentTarget.blur();
          if (e.key === "Escape") setTyped(null);
        }}
      />
    </div>
  );
}
