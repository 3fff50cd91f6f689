/** Finishes: how a surface shines, apart from its colour; and whether strokes lay colour, finish, or both. */
import type { Finish } from "../api/types";
import { edit } from "./edits";
import { chooseTarget } from "./hand";
import { workshop } from "./workshop";

/** Channels that a finish is made of, where nothing else is said. */
const USUAL = ["roughness", "metallic"];

export type Lays = "colour" | "finish" | "both";

/** What strokes lay, where it is one of the three. */
export function laysOf(channels: readonly string[]): Lays | null {
  const colour = channels.includes("base_color");
  const rest = channels.filter((c) => c !== "base_color");
  if (!rest.length) return colour ? "colour" : null;
  return rest.length === USUAL.length && USUAL.every((c) => rest.includes(c)) ? (colour ? "both" : "finish") : null;
}

export function setLays(lays: Lays): void {
  const { target } = workshop.getState();
  if (target) chooseTarget({ ...target, channels: [...(lays === "finish" ? [] : ["base_color"]), ...(lays === "colour" ? [] : USUAL)] });
}

/** Take a finish into the hand: the next stroke or fill lays it. Nothing on the model changes. */
export function takeFinish(finish: Finish): void {
  const { target, values, project } = workshop.getState();
  const known = new Set(project?.document.channels.map((c) => c.id));
  const mine = Object.entries(finish.values).filter(([id]) => known.has(id));
  workshop.setState({ values: { ...values, ...Object.fromEntries(mine) } });
  if (target) {
    const colour = target.channels.includes("base_color") ? ["base_color"] : [];
    chooseTarget({ ...target, channels: [...colour, ...mine.map(([id]) => id)] });
  }
}

/** Whether the hand holds a finish's values. */
export function holds(values: Record<string, readonly number[]>, finish: Finish): boolean {
  return Object.entries(finish.values).every(([id, v]) => v.every((x, i) => Math.abs((values[id]?.[i] ?? NaN) - x) < 1e-6));
}

export function keepFinish(name: string): Promise<boolean> {
  const { values, target, project } = workshop.getState();
  const old = project?.document.settings.finishes ?? [];
  const channels = project?.document.channels ?? [];
  const chosen = target?.channels.filter((c) => c !== "base_color" && c !== "height") ?? [];
  const laid = channels.filter((c) => (chosen.length ? chosen : USUAL).includes(c.id)).map((c) => [c.id, values[c.id] ?? c.start] as const);
  const stem =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "-")
      .replace(/^-+|-+$/g, "")
      .slice(0, 26) || "finish";
  let id = stem;
  for (let n = 2; old.some((f) => f.id === id); n++) id = `${stem}-${n}`;
  return edit("Keep a finish", { edit: "set-settings", values: { finishes: [...old, { id, name, values: Object.fromEntries(laid) }] } });
}

export function dropFinish(id: string): Promise<boolean> {
  const old = workshop.getState().project?.document.settings.finishes ?? [];
  return edit("Remove a finish", { edit: "set-settings", values: { finishes: old.filter((f) => f.id !== id) } });
}
