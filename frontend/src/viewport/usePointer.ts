/** The hand over a view: paint with the left button, turn with the right, move with the middle, wheel for nearer and further. */
import { useEffect, useRef } from "react";
import { api } from "../api/client";
import type { FacePick, PointerSample, StrokeBegin } from "../api/types";
import { currentPaint, pickAt, setBrush } from "../state/hand";
import { findSheet, targetTrouble } from "../state/layers";
import { markSeam, placeIsland } from "../state/layout";
import { masks, maskTrouble, pickForMask } from "../state/masks";
import { say } from "../state/messages";
import { endOutline, extendOutline, gatherFaces, startOutline } from "../state/picking";
import { addPoint, beginShape, confirm, movePoint, shaping } from "../state/shaping";
import { theStage } from "../state/stage";
import { flood, showPatches, strokeEnded, strokeFailed, strokeTextures } from "../state/strokes";
import { workshop } from "../state/workshop";
import { pointerOver, probeAt } from "../tools/pointer";
import { theSender } from "../state/sender";

type Kind = "solid" | "flat";
type Hover = (x: number | null, y: number) => void;

/** Keys held down: Space turns, V takes the other colour, R sizes the brush. */
const held = { space: false, other: false, resize: false };
/** Where the last stroke in each view ended, for straight lines. */
const lastPoint: Record<Kind, { x: number; y: number } | null> = { solid: null, flat: null };

function typing(event: KeyboardEvent): boolean {
  return Boolean((event.target as HTMLElement | null)?.closest("input, textarea, select, [role=dialog], [role=menu]"));
}

window.addEventListener("keydown", (e) => {
  if (typing(e)) return;
  if (e.code === "Space" && !(e.target as HTMLElement | null)?.closest("button, a, [role=slider]")) {
    held.space = true;
    e.preventDefault();
  }
  if (e.key.toLowerCase() === "v" && !e.ctrlKey) held.other = true;
  if (e.key.toLowerCase() === "r" && !e.ctrlKey) held.resize = true;
});
window.addEventListener("keyup", (e) => {
  if (e.code === "Space") held.space = false;
  if (e.key.toLowerCase() === "v") held.other = false;
  if (e.key.toLowerCase() === "r") held.resize = false;
});
window.addEventListener("blur", () => {
  held.space = held.other = held.resize = false;
});

export function usePointer(kind: Kind, place: React.RefObject<HTMLDivElement | null>, paintable: boolean, hover: Hover): void {
  const hoverRef = useRef(hover);
  useEffect(() => {
    hoverRef.current = hover;
  });
  useEffect(() => {
    const element = place.current;
    if (!element) return;
    const hand = new Hand(kind, element, paintable, (x, y) => hoverRef.current(x, y));
    return () => hand.release();
  }, [kind, place, paintable]);
}

/** Make what lies under the pointer the place that clone reads. */
async function takeCloneSource(): Promise<void> {
  const { uid } = workshop.getState();
  const at = probeAt();
  if (!uid || !at) return;
  const found = await api.probe(uid, at).catch(() => null);
  if (!found?.position) return say("There is no surface there. Press on the model or inside an island.", true);
  workshop.setState({ clone: { source: found.position as [number, number, number], anchor: null } });
  say("Clone source set. Now paint where it should go.");
}

class Hand {
  private mode: "turn" | "move" | "paint" | "island" | "shape" | "stamp" | "outline" | "gradient" | "resize" | null = null;
  /** Where the ring stays while the brush is sized. */
  private still = { x: 0, y: 0 };
  private from = { x: 0, y: 0 };
  private taking: Promise<void> = Promise.resolve();
  private last = { x: 0, y: 0 };
  private readonly stop = new AbortController();

  constructor(
    private readonly kind: Kind,
    private readonly element: HTMLDivElement,
    private readonly paintable: boolean,
    private readonly hover: Hover,
  ) {
    const { signal } = this.stop;
    element.addEventListener("pointerdown", (e) => this.down(e), { signal });
    element.addEventListener("pointermove", (e) => this.move(e), { signal });
    element.addEventListener("pointerup", (e) => this.up(e), { signal });
    element.addEventListener("pointercancel", () => this.cancel(), { signal });
    element.addEventListener(
      "pointerleave",
      () => {
        pointerOver(null);
        this.hover(null, 0);
      },
      { signal },
    );
    element.addEventListener("contextmenu", (e) => e.preventDefault(), { signal });
    element.addEventListener("wheel", (e) => this.wheel(e), { signal, passive: false });
  }

  release(): void {
    this.stop.abort();
    pointerOver(null);
  }

  private at(e: PointerEvent | WheelEvent): { x: number; y: number } {
    const box = this.element.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  }

  private down(e: PointerEvent): void {
    // Handles on the model have hands of their own.
    if ((e.target as Element).closest(".handle")) return;
    this.element.setPointerCapture(e.pointerId);
    (document.activeElement as HTMLElement | null)?.blur?.();
    this.last = this.at(e);
    this.from = { ...this.last };
    if (e.button === 1 || (e.button === 0 && held.space && e.shiftKey)) this.mode = "move";
    else if (e.button === 2 || (e.button === 0 && held.space)) this.mode = this.kind === "solid" ? "turn" : "move";
    else if (e.button === 0 && this.paintable) this.press(e);
    else if (e.button === 0 && workshop.getState().seaming) this.markSeam(e.shiftKey);
    else if (e.button === 0) this.taking = this.takeIsland();
    this.element.classList.toggle("turning", this.mode === "turn" || this.mode === "move");
  }

  /** Off the Paint screen a press chooses the island under it; on the flat sheet a drag then moves it. */
  private async takeIsland(): Promise<void> {
    const { uid, project } = workshop.getState();
    const box = this.element.getBoundingClientRect();
    pointerOver(this.kind, this.last.x, this.last.y, box.width, box.height);
    const at = probeAt();
    if (!uid || !at || !project?.document.sheets.length) return;
    this.from = { ...this.last };
    if (this.kind === "flat") this.mode = "island";
    const found = await api.probe(uid, { ...at, island: true }).catch(() => null);
    const island = found?.layout_island ?? -1;
    const density = island >= 0 && found?.density ? { own: found.density, others: found.other_density ?? null } : null;
    workshop.setState({ island: island >= 0 ? island : null, density, highlight: island >= 0 ? new Set(found?.faces ?? []) : null });
  }

  private markSeam(one: boolean): void {
    const box = this.element.getBoundingClientRect();
    pointerOver(this.kind, this.last.x, this.last.y, box.width, box.height);
    const at = probeAt();
    if (at) void markSeam(at, !one);
  }

  private async dropIsland(): Promise<void> {
    const [from, to] = [{ ...this.from }, { ...this.last }];
    // A quick hand lets go before the answer to its press is there; the island of that press moves, not the one before.
    await this.taking;
    const { island } = workshop.getState();
    const stage = theStage();
    const side = this.side();
    if (!stage || !side || island === null || Math.hypot(to.x - from.x, to.y - from.y) < 4) return;
    const [x0, y0] = stage.pan.toTexel(from.x, from.y, side);
    const [x1, y1] = stage.pan.toTexel(to.x, to.y, side);
    await placeIsland({ move: [(x1 - x0) / side, (y0 - y1) / side] });
  }

  private press(e: PointerEvent): void {
    const { tool } = workshop.getState();
    const box = this.element.getBoundingClientRect();
    pointerOver(this.kind, this.last.x, this.last.y, box.width, box.height);
    if (masks.getState().picking) {
      const at = probeAt();
      if (at) void pickForMask(at);
    } else if (held.resize && tool !== "fill" && tool !== "pick") {
      this.mode = "resize";
      this.still = { ...this.last };
    } else if (tool === "line" || tool === "stamp") {
      this.pressShape(e);
    } else if (tool === "clone" && (e.altKey || !workshop.getState().clone)) {
      void takeCloneSource();
    } else if (tool === "pick" || e.altKey) {
      const at = probeAt();
      if (at) void pickAt(at);
    } else if (tool === "fill") {
      this.pressFill(e);
    } else {
      this.beginStroke(e);
      if (tool === "clone") void this.anchorClone();
    }
  }

  /** Where the pointer is, as a shape keeps it: object space or texels; null off the surface. */
  private place(e: PointerEvent): number[] | null {
    const p = this.at(e);
    if (this.kind === "flat") {
      const side = this.side();
      return side ? (theStage()?.pan.toTexel(p.x, p.y, side) ?? null) : null;
    }
    return theStage()?.hit(p.x, p.y)?.position.toArray() ?? null;
  }

  private camera() {
    const box = this.element.getBoundingClientRect();
    return this.kind === "solid" ? (theStage()?.orbit.describe(box.width, box.height) ?? null) : null;
  }

  /** A press begins a line or stamp, or sets its next point. */
  private pressShape(e: PointerEvent): void {
    const at = this.place(e);
    if (!at) return say("There is no surface there. Begin on the model or on the sheet.", true);
    const { points, view } = shaping.getState();
    const stamp = workshop.getState().tool === "stamp";
    if (points.length && (stamp || view !== this.kind)) void confirm();
    if (shaping.getState().points.length) {
      addPoint(this.locked(at, e), this.camera());
    } else if (!beginShape(this.kind, at, this.camera())) {
      return;
    }
    this.mode = stamp ? "stamp" : "shape";
  }

  /** With Ctrl a line keeps to steps of 15 degrees from its last point, as the view shows it. */
  private locked(at: number[], e: PointerEvent): number[] {
    const { points } = shaping.getState();
    const stage = theStage();
    const from = this.mode === "shape" ? points[points.length - 2] : points[points.length - 1];
    if (!e.ctrlKey || !from || !stage) return at;
    const a = this.kind === "flat" ? (from as [number, number]) : stage.projectPoint(from as [number, number, number]);
    const b: [number, number] = this.kind === "flat" ? [at[0] ?? 0, at[1] ?? 0] : [this.at(e).x, this.at(e).y];
    const step = Math.PI / 12;
    const angle = Math.round(Math.atan2(b[1] - a[1], b[0] - a[0]) / step) * step;
    const length = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const to: [number, number] = [a[0] + Math.cos(angle) * length, a[1] + Math.sin(angle) * length];
    return this.kind === "flat" ? to : (stage.hit(to[0], to[1])?.position.toArray() ?? at);
  }

  private moveShape(e: PointerEvent): void {
    const at = this.place(e);
    if (!at) return;
    const { points } = shaping.getState();
    if (points.length === 1) {
      // A little way before the first drag counts, so that a click is a click.
      if (Math.hypot(this.at(e).x - this.from.x, this.at(e).y - this.from.y) > 3) addPoint(this.locked(at, e), this.camera());
    } else if (points.length) movePoint(points.length - 1, this.locked(at, e), this.camera());
  }

  private pressFill(e: PointerEvent): void {
    const { fillBy } = workshop.getState();
    if (fillBy === "box" || fillBy === "lasso") {
      this.mode = "outline";
      startOutline(this.kind, [this.last.x, this.last.y], e.shiftKey);
    } else if (fillBy === "gradient") {
      const at = this.kind === "solid" ? (theStage()?.hit(this.last.x, this.last.y)?.position.toArray() ?? null) : null;
      if (!at) return say("Draw the gradient over the model in the 3D view.", true);
      const { gradient } = workshop.getState();
      workshop.setState({ gradient: { form: gradient?.form ?? "line", start: at as [number, number, number], end: at as [number, number, number] } });
      this.mode = "gradient";
    } else void this.fill();
  }

  /** A moving source keeps its distance from where the first stroke began. */
  private async anchorClone(): Promise<void> {
    const { uid, clone, cloneMoves } = workshop.getState();
    const at = probeAt();
    if (!uid || !at || !clone || clone.anchor || !cloneMoves || !theSender()?.running) return;
    const found = await api.probe(uid, at).catch(() => null);
    const now = workshop.getState().clone;
    if (found?.position && now && !now.anchor) workshop.setState({ clone: { ...now, anchor: found.position as [number, number, number] } });
  }

  private async fill(): Promise<void> {
    const { fillBy, uid, target } = workshop.getState();
    const at = probeAt();
    if (!uid || !at) return;
    if (fillBy === "sheet") return flood(null);
    if (fillBy === "colour" || fillBy === "id") return gatherFaces(fillBy, at);
    const found = await api.probe(uid, at).catch((error: Error) => {
      say(error.message, true);
      return null;
    });
    if (!found?.hit || !found.belongs) return;
    if (target && found.sheet && found.sheet !== target.sheet) {
      return say("That place is on another sheet than the target. Choose a target there first.", true);
    }
    const index = found.belongs[fillBy];
    if (index === undefined || index < 0) return say(`Nothing there belongs to a ${fillBy === "group" ? "face group" : fillBy}.`, true);
    await flood([{ by: fillBy, index } as FacePick]);
  }

  private sample(e: PointerEvent): PointerSample {
    const p = this.at(e);
    const side = this.side();
    const [x, y] = this.kind === "flat" && side ? (theStage()?.pan.toTexel(p.x, p.y, side) ?? [p.x, p.y]) : [p.x, p.y];
    const pressure = e.pointerType === "pen" ? Math.min(1, Math.max(0, e.pressure)) : 1;
    return { x, y, pressure, time: e.timeStamp / 1000 };
  }

  private side(): number {
    const { project, sheet } = workshop.getState();
    return (project && sheet && findSheet(project.document, sheet)?.resolution) || 0;
  }

  private beginStroke(e: PointerEvent): void {
    const s = workshop.getState();
    const stage = theStage();
    const sender = theSender();
    if (!stage || !sender || !s.project || sender.running) return;
    const trouble = targetTrouble(s.project.document, s.target) ?? maskTrouble(masks.getState().view, s.target);
    if (trouble || !s.target) {
      say(`Nothing painted: ${trouble}.`, true);
      return;
    }
    const home = s.target.sheet;
    const side = findSheet(s.project.document, home)?.resolution ?? 0;
    const box = this.element.getBoundingClientRect();
    const begin: StrokeBegin = {
      revision: s.project.revision,
      target: s.target,
      brush: { ...s.brush, seed: Math.floor(Math.random() * 2 ** 31) },
      paint: currentPaint(s.tool === "erase", held.other),
      textures: strokeTextures(s.target),
      camera: this.kind === "solid" ? stage.orbit.describe(box.width, box.height) : null,
      texels_per_pixel: this.kind === "flat" ? side / stage.pan.scale : 1,
      lock_angle: e.shiftKey && e.ctrlKey,
    };
    const first = this.sample(e);
    const from = e.shiftKey ? lastPoint[this.kind] : null;
    const start: PointerSample = from ? { ...first, x: from.x, y: from.y } : first;
    this.mode = "paint";
    sender.begin(begin, start, {
      patches: (header, bytes) => showPatches(home, header, bytes),
      ended: (dropped) => void strokeEnded(dropped),
      failed: strokeFailed,
    });
    if (from) sender.extend([first]);
    lastPoint[this.kind] = { x: first.x, y: first.y };
  }

  private move(e: PointerEvent): void {
    const now = this.at(e);
    const box = this.element.getBoundingClientRect();
    pointerOver(this.kind, now.x, now.y, box.width, box.height);
    const stage = theStage();
    if (!stage) return;
    const dx = now.x - this.last.x;
    const dy = now.y - this.last.y;
    if (this.mode === "turn") {
      stage.orbit.turn(dx, dy);
      stage.draw();
    } else if (this.mode === "move") {
      if (this.kind === "solid") stage.orbit.move(dx, dy, box.height);
      else {
        stage.pan.x += dx;
        stage.pan.y += dy;
      }
      stage.draw();
    } else if (this.mode === "shape" || this.mode === "stamp") {
      this.moveShape(e);
    } else if (this.mode === "outline") {
      extendOutline([now.x, now.y]);
    } else if (this.mode === "gradient") {
      const at = stage.hit(now.x, now.y)?.position.toArray() as [number, number, number] | undefined;
      const { gradient } = workshop.getState();
      if (at && gradient) workshop.setState({ gradient: { ...gradient, end: at } });
    } else if (this.mode === "resize") {
      this.resize(dx, dy);
      this.last = now;
      return this.hover(this.still.x, this.still.y);
    } else if (this.mode === "paint") {
      const many = e.getCoalescedEvents?.() ?? [];
      const samples = (many.length ? many : [e]).map((one) => this.sample(one));
      theSender()?.extend(samples);
      const end = samples[samples.length - 1];
      if (end) lastPoint[this.kind] = { x: end.x, y: end.y };
    }
    this.last = now;
    this.hover(now.x, now.y);
  }

  /** Sideways sizes the brush, up and down its hardness; the ring stays where it was pressed. */
  private resize(dx: number, dy: number): void {
    const { brush } = workshop.getState();
    const factor = Math.exp(dx * 0.012);
    const size = brush.size_unit === "view" ? Math.min(600, Math.max(2, brush.size * factor)) : Math.min(1, Math.max(0.002, brush.size * factor));
    setBrush({ size: Math.round(size * 1000) / 1000, hardness: Math.round(Math.min(1, Math.max(0, brush.hardness - dy * 0.005)) * 1000) / 1000 });
  }

  private up(e: PointerEvent): void {
    if (this.mode === "paint") theSender()?.end();
    if (this.mode === "stamp") void confirm();
    if (this.mode === "outline") void endOutline(this.camera(), this.side());
    if (this.mode === "island") void this.dropIsland();
    this.mode = null;
    this.element.classList.remove("turning");
    if (this.element.hasPointerCapture(e.pointerId)) this.element.releasePointerCapture(e.pointerId);
  }

  private cancel(): void {
    if (this.mode === "paint") theSender()?.end();
    this.mode = null;
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault();
    const stage = theStage();
    const p = this.at(e);
    const factor = Math.exp(Math.sign(e.deltaY) * Math.min(Math.abs(e.deltaY), 120) * 0.0016);
    if (!stage) return;
    if (this.kind === "solid") stage.orbit.approach(factor);
    else stage.pan.zoom(1 / factor, p.x, p.y);
    stage.draw();
    this.hover(p.x, p.y);
  }
}
