import { createStore } from "zustand";

const KEY = "ruvelt-diagnostics";

/** Whether figures of the last stroke are shown: off until asked for, then remembered in this browser. */
export const diagnostics = createStore<{ on: boolean }>(() => ({ on: localStorage.getItem(KEY) === "on" }));

export function toggleDiagnostics(): void {
  const on = !diagnostics.getState().on;
  localStorage.setItem(KEY, on ? "on" : "off");
  diagnostics.setState({ on });
}
