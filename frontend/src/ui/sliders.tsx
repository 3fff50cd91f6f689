import { Slider, Tooltip } from "@mui/material";
import { useRef, useState } from "react";
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
  /** What a double press brings back. */
  reset?: number;
  /** Called once a value stays: the hand let go, or a number was typed. */
  onDone?: (value: number) => void;
}

/** How much less far a value goes while Shift is held. */
const FINE = 0.1;

function show(value: number, unit: Props["unit"]): string {
  if (unit === "percent") return value < 0.1 && value > -0.1 && value !== 0 ? `${(value * 100).toFixed(1)}%` : `${Math.round(value * 100)}%`;
  if (unit === "count") return String(Math.round(value));
  if (unit === "px") return `${Math.round(value)} px`;
  if (unit === "degrees") return `${Math.round(value)}°`;
  return value.toFixed(2);
}

/** A named slider as wide as its row, with a number that can be typed: fine with Shift, back to its first value by a double press. */
export function NamedSlider({ label, title, value, low, high, step, unit, log, reset, onChange, onDone }: Props) {
  const [typed, setTyped] = useState<string | null>(null);
  const began = useRef(value);
  const last = useRef(value);
  const put = (v: number): number => (log ? Math.log(v) : v);
  const take = (v: number): number =>
    !log ? v : unit === "px" || unit === "count" ? Math.round(Math.exp(v)) : Math.round(Math.exp(v) * 1000) / 1000;
  const finish = (): void => {
    const number = typed === null ? NaN : parseFloat(typed.replace(",", "."));
    if (Number.isFinite(number)) {
      const value = Math.min(high, Math.max(low, unit === "percent" ? number / 100 : number));
      onChange(value);
      onDone?.(value);
    }
    setTyped(null);
  };
  /** Where the hand drags a value to. */
  const dragged = (event: Event, v: number): number => {
    const fine = "shiftKey" in event && event.shiftKey === true && !("key" in event);
    last.current = take(fine ? put(began.current) + (v - put(began.current)) * FINE : v);
    return last.current;
  };
  const again = (): void => {
    if (reset === undefined) return;
    onChange(reset);
    onDone?.(reset);
  };
  return (
    <div className="sl">
      <span>{label}</span>
      <Tooltip title={reset === undefined ? title : `${title} · Shift: fine · double press: ${show(reset, unit)}`} placement="left">
        <Slider
          aria-label={label}
          value={put(value)}
          min={put(low)}
          max={put(high)}
          step={log ? 0.02 : step}
          getAriaValueText={() => show(value, unit)}
          onPointerDown={() => (began.current = value)}
          onDoubleClick={again}
          onChange={(event, v) => onChange(dragged(event, v as number))}
          onChangeCommitted={() => onDone?.(last.current)}
        />
      </Tooltip>
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
