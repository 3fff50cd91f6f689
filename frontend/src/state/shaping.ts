/** Lines, rows and stamps while they are shaped: their points, and the stroke that shows what they come to. */
import { createStore } from "zustand/vanilla";
import type { Camera, Row, Shape, StrokeBegin } from "../api/types";
import { currentPaint } from "./hand";
import { findSheet, targetTrouble } from "./layers";
import { masks, maskTrouble } from "./masks";
import { say } from "./messages";
import { theStage } from "./stage";
import { cancelStroke, showPatches, strokeEnded, strokeFailed, strokeTextures } from "./strokes";
import { workshop } from "./workshop";
import { theSender } from "./sender";

export type Point = number[];

export interface ShapingState {
  kind: "line" | "curve";
  closed: boolean;
  filled: boolean;
  /** What a filled line that crosses itself encloses. */
  rule: NonNullable<Shape["rule"]>;
  snap: boolean;
  /** Whether stamps stand along the line instead of a stroke. */
  rows: boolean;
  row: Row;
  bend: boolean;
  /** Where the points lie: object space in the 3D view, texels on the flat sheet. */
  view: "solid" | "flat";
  points: Point[];
  camera: Camera | null;
  /** Whether its points were set from more than one view: then no view makes it straight, and it follows the surface. */
  turned: boolean;
  seed: number;
}

const NONE: Pick<ShapingState, "points" | "camera" | "turned"> = { points: [], camera: null, turned: false };

export const shaping = createStore<ShapingState>(() => ({
  kind: "line",
  closed: false,
  filled: false,
  rule: "nonzero",
  snap: false,
  rows: false,
  bend: true,
  view: "solid",
  seed: 1,
  row: { count: null, spacing: 1.5, align: "along", alternate: "none" },
  ...NONE,
}));
const { getState: get, setState: set } = shaping;

// Whatever would change the line on the model shows at once.
workshop.subscribe((now, before) => {
  if (
    get().points.length &&
    (now.brush !== before.brush ||
      now.colours !== before.colours ||
      now.values !== before.values ||
      now.confine !== before.confine ||
      now.blend !== before.blend ||
      now.maskValues !== before.maskValues)
  )
    show();
  if (get().points.length && (now.tool !== before.tool || now.target !== before.target || now.uid !== before.uid)) void confirm();
});

/** Settings of the line: a change shows in the one that is being shaped. */
export function setShaping(change: Partial<ShapingState>): void {
  set(change);
  show();
}

/** Begin a line or stamp at a point; false with a word where nothing can be painted. */
export function beginShape(view: "solid" | "flat", point: Point, camera: Camera | null): boolean {
  const s = workshop.getState();
  if (!s.project) return false;
  const trouble = targetTrouble(s.project.document, s.target) ?? maskTrouble(masks.getState().view, s.target);
  if (trouble || !s.target) {
    say(`Nothing painted: ${trouble}.`, true);
    return false;
  }
  if (theSender()?.running) return false;
  set({ view, points: [point], camera, turned: false, seed: Math.floor(Math.random() * 2 ** 31) });
  return true;
}

/** The view a point was set in, beside those of the points before. */
function seenWith(camera: Camera | null): Pick<ShapingState, "camera" | "turned"> {
  const { camera: before, turned } = get();
  return { camera, turned: turned || (before !== null && camera !== null && JSON.stringify(before) !== JSON.stringify(camera)) };
}

export function movePoint(index: number, point: Point, camera: Camera | null): void {
  const points = [...get().points];
  points[index] = point;
  set({ points, ...seenWith(camera) });
  show();
}

export function addPoint(point: Point, camera: Camera | null): void {
  set({ points: [...get().points, point], ...seenWith(camera) });
  show();
}

export function dropPoint(): void {
  const points = get().points.slice(0, -1);
  if (points.length < 2) return abandon();
  set({ points });
  show();
}

function described(): Shape | null {
  const s = get();
  const { tool } = workshop.getState();
  if (s.points.length < 2) return null;
  const stamp = tool === "stamp";
  const closed = !stamp && s.closed && s.points.length > 2;
  const filled = closed && s.filled && !s.rows;
  return {
    kind: stamp ? "stamp" : s.kind,
    surface: s.view === "solid" ? s.points : [],
    sheet: s.view === "flat" ? s.points : [],
    camera: s.view === "solid" && (filled || !s.turned) ? s.camera : null,
    texels_per_pixel: s.view === "flat" ? texelsPerPixel() : 1,
    closed,
    filled,
    rule: s.rule,
    snap: !stamp && s.view === "solid" && s.snap,
    bend: s.bend,
    row: !stamp && s.rows ? s.row : null,
  } as Shape;
}

function texelsPerPixel(): number {
  const { project, sheet } = workshop.getState();
  const side = (project && sheet && findSheet(project.document, sheet)?.resolution) || 1;
  return side / (theStage()?.pan.scale ?? side);
}

/** Lay the shape as it stands now; it replaces what it was before. */
export function show(): void {
  const s = workshop.getState();
  const shape = described();
  const sender = theSender();
  if (!shape || !s.project || !s.target || !sender) return;
  const home = s.target.sheet;
  const begin: StrokeBegin = {
    revision: s.project.revision,
    target: s.target,
    brush: { ...s.brush, seed: get().seed },
    paint: currentPaint(false),
    textures: strokeTextures(s.target),
    camera: shape.camera,
    texels_per_pixel: shape.texels_per_pixel,
    lock_angle: false,
  };
  sender.shape(begin, shape, {
    patches: (header, bytes) => {
      showPatches(home, header, bytes);
      if (header.shape && shape.snap && header.shape.length === get().points.length && !moving) set({ points: header.shape });
    },
    ended: (dropped) => void strokeEnded(dropped),
    failed: (error) => {
      set(NONE);
      strokeFailed(error);
    },
  });
}

/** While a handle is held its point stays under the pointer; it snaps when it is let go. */
let moving = false;
export function holdPoint(held: boolean): void {
  moving = held;
  if (!held) show();
}

/** Store what is shaped. */
export async function confirm(): Promise<void> {
  if (!get().points.length) return;
  const laid = get().points.length > 1;
  set(NONE);
  if (laid) theSender()?.end();
}

/** Take back what is shaped. */
export function abandon(): void {
  set(NONE);
  if (theSender()?.shaping) cancelStroke();
}
