import { createStore, useStore } from "zustand";
import { useWorkshop } from "../state/hooks";

const KEY = "ruvelt-diagnostics";

/** Whether figures of the last stroke are shown: off until asked for, then remembered in this browser. */
export const diagnostics = createStore<{ on: boolean }>(() => ({ on: localStorage.getItem(KEY) === "on" }));

export function toggleDiagnostics(): void {
  const on = !diagnostics.getState().on;
  localStorage.setItem(KEY, on ? "on" : "off");
  diagnostics.setState({ on });
}

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
