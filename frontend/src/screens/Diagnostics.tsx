import { useStore } from "zustand";
import { diagnostics } from "../state/diagnostics";
import { useWorkshop } from "../state/hooks";

/** How long the last stroke's dabs took the server, and how much of the sheet they changed. */
export function Diagnostics() {
  const on = useStore(diagnostics, (s) => s.on);
  const last = useWorkshop((s) => s.lastStroke);
  if (!on) return null;
  return (
    <div className="diagnostics" role="status" aria-label="Diagnostics">
      {last ? `Last stroke: ${last.ms.toFixed(1)} ms per dab · ${last.chunks} ${last.chunks === 1 ? "chunk" : "chunks"}` : "No stroke yet"}
    </div>
  );
}
