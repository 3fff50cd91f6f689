import { useRef } from "react";
import { useStore } from "zustand";
import { compare, moveSplit } from "../state/compare";

/** The line between before (left) and after, dragged across a view or moved by arrow keys. `told`: it says what is left out. */
export function SplitLine({ told = true }: { told?: boolean }) {
  const split = useStore(compare, (s) => s.split);
  const held = useStore(compare, (s) => s.held);
  const without = useStore(compare, (s) => s.without);
  const line = useRef<HTMLDivElement>(null);
  if (held) return <span className="tag">Before: without {without}</span>;
  if (split === null) return null;
  const to = (e: React.PointerEvent): void => {
    const box = line.current?.parentElement?.getBoundingClientRect();
    if (box) moveSplit((e.clientX - box.left) / box.width);
  };
  return (
    <div
      ref={line}
      className="splitline handle"
      style={{ left: `${split * 100}%` }}
      role="slider"
      tabIndex={0}
      aria-label="Line between before and after"
      aria-valuemin={0}
      aria-valuemax={100}
      aria-valuenow={Math.round(split * 100)}
      onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
      onPointerMove={(e) => e.currentTarget.hasPointerCapture(e.pointerId) && to(e)}
      onKeyDown={(e) => {
        const by = { ArrowLeft: -0.02, ArrowRight: 0.02 }[e.key];
        if (!by) return;
        e.preventDefault();
        moveSplit(split + by);
      }}
    >
      <i />
      {told && <span className="left">without {without}</span>}
      {told && <span className="right">now</span>}
    </div>
  );
}
