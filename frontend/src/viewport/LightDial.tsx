import { Tooltip } from "@mui/material";
import { useRef } from "react";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";

/** Turns the key light: drag sideways, or arrow keys. */
export function LightDial() {
  const deg = useWorkshop((s) => s.lightDeg);
  const from = useRef<{ x: number; deg: number } | null>(null);
  const turn = (value: number): void => workshop.setState({ lightDeg: ((Math.round(value) % 360) + 360) % 360 });
  const a = ((deg - 90) * Math.PI) / 180;
  return (
    <Tooltip title="Light direction: drag, or arrow keys">
      <div
        className="dial"
        role="slider"
        tabIndex={0}
        aria-label="Light direction"
        aria-valuemin={0}
        aria-valuemax={359}
        aria-valuenow={deg}
        onPointerDown={(e) => {
          e.currentTarget.setPointerCapture(e.pointerId);
          from.current = { x: e.clientX, deg };
        }}
        onPointerMove={(e) => from.current && turn(from.current.deg + (e.clientX - from.current.x))}
        onPointerUp={() => {
          from.current = null;
        }}
        onKeyDown={(e) => {
          const by = { ArrowRight: 5, ArrowUp: 5, ArrowLeft: -5, ArrowDown: -5 }[e.key];
          if (by) {
            e.preventDefault();
            turn(deg + by);
          }
        }}
      >
        Light
        <svg width="16" height="16" viewBox="0 0 18 18" fill="none" stroke="currentColor" aria-hidden="true">
          <circle cx="9" cy="9" r="7.2" strokeOpacity="0.5" strokeWidth="1.6" />
          <path d={`M9 9 ${9 + Math.cos(a) * 6} ${9 + Math.sin(a) * 6}`} strokeWidth="1.8" strokeLinecap="round" />
        </svg>
        {deg}°
      </div>
    </Tooltip>
  );
}
