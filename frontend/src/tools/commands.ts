/** Everything the keyboard can do, in one list: the shortcuts page, the tooltips and the key handler all read it. */
import { holdBefore, letGoBefore } from "../state/compare";
import { toggleDiagnostics } from "../state/diagnostics";
import { duplicateLayer, hideParts, redo, undo } from "../state/edits";
import { chooseSheet, chooseTarget, setBrush, swapColours } from "../state/hand";
import { removeLayer } from "../state/layerActions";
import { findSheet, rows } from "../state/layers";
import { abandon, confirm, dropPoint, shaping } from "../state/shaping";
import { theStage } from "../state/stage";
import { writeAgain } from "../state/exporting";
import { workshop } from "../state/workshop";
import type { Tool } from "../state/workshop";
import { hovered } from "./pointer";

export interface Command {
  id: string;
  label: string;
  group: string;
  key: string;
  run: () => void;
  /** Only then the key is the command's; else it does what it always does. */
  when?: () => boolean;
}

const get = workshop.getState;
const tool = (name: Tool) => () => workshop.setState({ tool: name });
const shapes = (): boolean => shaping.getState().points.length > 0;
const limit = (v: number, low: number, high: number): number => Math.min(high, Math.max(low, Math.round(v * 1000) / 1000));

function resize(factor: number): void {
  const { size, size_unit } = get().brush;
  setBrush({ size: size_unit === "view" ? limit(size * factor, 2, 600) : limit(size * factor, 0.002, 1) });
}

function stepRow(by: number): void {
  const { project, target, sheet } = get();
  const home = project && sheet && findSheet(project.document, sheet);
  if (!home || !target) return;
  const list = rows(home);
  const at = list.findIndex((r) => r.layer.id === target.layer);
  const next = list[at + by]?.layer;
  if (next) chooseTarget({ sheet: home.id, layer: next.id, channels: next.kind === "paint" ? target.channels : [], mask: null, mesh_map: null });
}

async function isolate(): Promise<void> {
  const part = await hovered();
  const count = get().model?.parts.length ?? 0;
  if (part === null) return;
  const others = Array.from({ length: count }, (_, i) => i).filter((i) => i !== part);
  await hideParts(get().project?.document.hidden_parts.length === others.length ? [] : others);
}

async function hideHovered(): Promise<void> {
  const part = await hovered();
  if (part !== null) await hideParts([...(get().project?.document.hidden_parts ?? []), part]);
}

function view(yaw: number, pitch: number): () => void {
  return () => {
    theStage()?.orbit.look(yaw, pitch);
    theStage()?.draw();
  };
}

function lastBrush(): void {
  const { lastBrush: before, brush } = get();
  if (before) workshop.setState({ brush: before, lastBrush: brush });
}

const flip = (axis: "x" | "y" | "z") => () => {
  const { mirror } = get().brush;
  setBrush({ mirror: { ...mirror, [axis]: !mirror[axis] } });
};

const COMMANDS: Command[] = [
  { id: "smaller", label: "Smaller brush", group: "Brush", key: "a", run: () => resize(1 / 1.15) },
  { id: "larger", label: "Larger brush", group: "Brush", key: "d", run: () => resize(1.15) },
  { id: "softer", label: "Softer edge", group: "Brush", key: "Shift+a", run: () => setBrush({ hardness: limit(get().brush.hardness - 0.1, 0, 1) }) },
  { id: "harder", label: "Harder edge", group: "Brush", key: "Shift+d", run: () => setBrush({ hardness: limit(get().brush.hardness + 0.1, 0, 1) }) },
  { id: "weaker", label: "Less strength", group: "Brush", key: "q", run: () => setBrush({ strength: limit(get().brush.strength - 0.1, 0, 1) }) },
  { id: "stronger", label: "More strength", group: "Brush", key: "w", run: () => setBrush({ strength: limit(get().brush.strength + 0.1, 0, 1) }) },
  { id: "last-brush", label: "The brush before", group: "Brush", key: "g", run: lastBrush },
  { id: "confine", label: "Confine strokes, or not", group: "Brush", key: "j", run: () => workshop.setState({ confined: !get().confined }) },
  { id: "confirm", label: "Keep the line as it is", group: "Lines", key: "Enter", run: () => void confirm(), when: shapes },
  { id: "abandon", label: "Drop the line or stamp", group: "Lines", key: "Escape", run: abandon, when: shapes },
  { id: "drop-point", label: "Take back the line's last point", group: "Lines", key: "Backspace", run: dropPoint, when: shapes },
  { id: "swap", label: "Swap the two colours", group: "Brush", key: "s", run: swapColours },
  { id: "mirror-x", label: "Mirror across X", group: "Brush", key: "x", run: flip("x") },
  { id: "mirror-y", label: "Mirror across Y", group: "Brush", key: "y", run: flip("y") },
  { id: "mirror-z", label: "Mirror across Z", group: "Brush", key: "z", run: flip("z") },
  { id: "undo", label: "Undo", group: "History", key: "Ctrl+z", run: () => (shapes() ? abandon() : void undo()) },
  { id: "redo", label: "Redo", group: "History", key: "Ctrl+Shift+z", run: () => void redo() },
  {
    id: "duplicate",
    label: "Duplicate layer",
    group: "Layers",
    key: "Ctrl+d",
    run: () => {
      const t = get().target;
      if (t) void duplicateLayer(t.layer);
    },
  },
  {
    id: "delete",
    label: "Delete layer",
    group: "Layers",
    key: "Ctrl+Backspace",
    run: () => {
      const t = get().target;
      if (t) void removeLayer(t.layer);
    },
  },
  { id: "row-up", label: "Target the layer in front", group: "Layers", key: "ArrowUp", run: () => stepRow(-1) },
  { id: "row-down", label: "Target the layer behind", group: "Layers", key: "ArrowDown", run: () => stepRow(1) },
  {
    id: "next-sheet",
    label: "Next sheet",
    group: "Layers",
    key: "t",
    run: () => {
      const { project, sheet } = get();
      const all = project?.document.sheets ?? [];
      const next = all[(all.findIndex((s) => s.id === sheet) + 1) % Math.max(all.length, 1)];
      if (next) chooseSheet(next.id);
    },
  },
  { id: "lit", label: "Lit view", group: "View", key: "1", run: () => workshop.setState({ mode: "lit" }) },
  { id: "channel", label: "Channel view", group: "View", key: "2", run: () => workshop.setState({ mode: "channel" }) },
  { id: "flat", label: "Flat colour view", group: "View", key: "3", run: () => workshop.setState({ mode: "flat" }) },
  { id: "front", label: "Look from the front", group: "View", key: "4", run: view(0, 0) },
  { id: "side", label: "Look from the right", group: "View", key: "5", run: view(Math.PI / 2, 0) },
  { id: "above", label: "Look from above", group: "View", key: "6", run: view(0, 1.55) },
  { id: "before", label: "Before the adjustment, as long as it is held", group: "View", key: "u", run: holdBefore },
  { id: "export-again", label: "Write the last export again", group: "Project", key: "Ctrl+Shift+x", run: () => void writeAgain() },
  { id: "refit", label: "Frame what is visible", group: "View", key: "Home", run: () => theStage()?.reframe() },
  { id: "diagnostics", label: "Show diagnostics, or hide them", group: "View", key: "Ctrl+Shift+y", run: toggleDiagnostics },
  { id: "isolate", label: "Isolate the part under the pointer", group: "View", key: "i", run: () => void isolate() },
  { id: "hide", label: "Hide the part under the pointer", group: "View", key: "h", run: () => void hideHovered() },
  { id: "show-all", label: "Show all parts", group: "View", key: "Shift+h", run: () => void hideParts([]) },
];

/** All of them, the hand tools that the server lists first. */
export function commands(): Command[] {
  const tools = get().registries?.tools ?? [];
  return [...tools.map((t) => ({ id: t.id, label: t.name, group: "Tools", key: t.key, run: tool(t.id) })), ...COMMANDS];
}

const STORE = "ruvelt-keys";
let rebound: Record<string, string> = {};
try {
  rebound = JSON.parse(localStorage.getItem(STORE) ?? "{}") as Record<string, string>;
} catch {
  rebound = {};
}

export function keyOf(id: string): string {
  return rebound[id] ?? commands().find((c) => c.id === id)?.key ?? "";
}

/** Give a command another key; returns the command that had it, which then has none. */
export function rebind(id: string, key: string): Command | null {
  const taken = commands().find((c) => c.id !== id && keyOf(c.id) === key) ?? null;
  if (taken) rebound[taken.id] = "";
  rebound[id] = key;
  localStorage.setItem(STORE, JSON.stringify(rebound));
  return taken;
}

export function resetKeys(): void {
  rebound = {};
  localStorage.removeItem(STORE);
}

export function keyText(key: string): string {
  return key
    .replace("ArrowUp", "↑")
    .replace("ArrowDown", "↓")
    .split("+")
    .map((k) => (k.length === 1 ? k.toUpperCase() : k))
    .join("+");
}

/** The name of a key press as commands write it, e.g. "Ctrl+Shift+z". */
export function pressed(event: KeyboardEvent): string {
  const key = event.key.length === 1 ? event.key.toLowerCase() : event.key;
  return `${event.ctrlKey || event.metaKey ? "Ctrl+" : ""}${event.shiftKey ? "Shift+" : ""}${key}`;
}

/** A tooltip's text with its shortcut. */
export function hint(text: string, id?: string): string {
  const key = id ? keyOf(id) : "";
  return key ? `${text} (${keyText(key)})` : text;
}

export function handleKey(event: KeyboardEvent): boolean {
  const where = event.target as HTMLElement | null;
  if (where?.closest("input:not([type=range]):not([type=checkbox]), textarea, [contenteditable], [role=dialog], [role=menu], [role=listbox]"))
    return false;
  const name = pressed(event);
  if (where?.closest("[role=slider], input[type=range]") && name.startsWith("Arrow")) return false;
  const command = commands().find((c) => keyOf(c.id) === name);
  if (!command || (command.when && !command.when())) return false;
  event.preventDefault();
  if (event.repeat && command.group === "Tools") return true;
  if (command.group === "Tools") borrowed = { key: event.key.toLowerCase(), tool: get().tool, since: event.timeStamp, press: "none" };
  command.run();
  return true;
}

/** The tool that a key which is down stands in for, and what the pointer did under it. */
let borrowed: { key: string; tool: Tool; since: number; press: "none" | "begun" | "ended" } | null = null;
/** Milliseconds from which a key that is let go amid a press was held for it. */
const HELD = 350;

/** What the pointer does while a tool's key is down is done with that tool. */
export function pressUnderKey(event: Pick<Event, "type">): void {
  if (borrowed) borrowed.press = event.type === "pointerdown" ? "begun" : borrowed.press === "begun" ? "ended" : borrowed.press;
}

/** A tool's key that was held for a press gives the tool before back when it is let go; without one, however slow, it chose the tool. */
export function releaseKey(event: Pick<KeyboardEvent, "key" | "timeStamp">): void {
  if (event.key.toLowerCase() === keyOf("before")) letGoBefore();
  if (!borrowed || event.key.toLowerCase() !== borrowed.key) return;
  if (borrowed.press === "ended" || (borrowed.press === "begun" && event.timeStamp - borrowed.since > HELD))
    workshop.setState({ tool: borrowed.tool });
  borrowed = null;
}
