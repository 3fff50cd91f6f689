/** The hand over a view: paint with the left button, turn with the right, move with the middle, wheel for nearer and further. */
import { adjusting } from "../state/adjusting";
import { pickColour } from "./gestures/pickColour";
import { useEffect, useRef } from "react";
import { pickAt } from "../state/hand";
import { markSeam } from "../state/layout";
import { masks, pickForMask } from "../state/masks";
import { workshop } from "../state/workshop";
import { pointerOver, probeAt } from "../tools/pointer";
import { anchorClone, takeCloneSource } from "./gestures/clone";
import { pressFill } from "./gestures/fill";
import type { Gesture } from "./gestures/gesture";
import { held } from "./gestures/held";
import { takeIsland } from "./gestures/island";
import { approach, moveView, turnView } from "./gestures/navigate";
import { resizeBrush } from "./gestures/resize";
import { drawShape } from "./gestures/shape";
import { paintStroke } from "./gestures/stroke";
import { View, type Kind } from "./gestures/view";

type Hover = (x: number | null, y: number) => void;

export function usePointer(kind: Kind, place: React.RefObject<HTMLDivElement | null>, paintable: boolean, hover: Hover): void {
  const hoverRef = useRef(hover);
  useEffect(() => {
    hoverRef.current = hover;
  });
  useEffect(() => {
    const element = place.current;
    if (!element) return;
    const hand = new Hand(new View(kind, element), paintable, (x, y) => hoverRef.current(x, y));
    return () => hand.release();
  }, [kind, place, paintable]);
}

/** Chooses what a press begins, and hands the pointer on to it. */
class Hand {
  private gesture: Gesture | null = null;
  private last = { x: 0, y: 0 };
  private readonly stop = new AbortController();

  constructor(
    private readonly view: View,
    private readonly paintable: boolean,
    private readonly hover: Hover,
  ) {
    const { signal } = this.stop;
    const { element } = view;
    element.addEventListener("pointerdown", (e) => this.down(e), { signal });
    element.addEventListener("pointermove", (e) => this.move(e), { signal });
    element.addEventListener("pointerup", (e) => this.up(e), { signal });
    element.addEventListener("pointercancel", () => this.cancel(), { signal });
    element.addEventListener("pointerleave", () => this.leave(), { signal });
    element.addEventListener("contextmenu", (e) => e.preventDefault(), { signal });
    element.addEventListener("wheel", (e) => this.wheel(e), { signal, passive: false });
  }

  release(): void {
    this.stop.abort();
    pointerOver(null);
  }

  private leave(): void {
    pointerOver(null);
    this.hover(null, 0);
  }

  private down(e: PointerEvent): void {
    // Handles on the model have hands of their own.
    if ((e.target as Element).closest(".handle")) return;
    this.view.element.setPointerCapture(e.pointerId);
    (document.activeElement as HTMLElement | null)?.blur?.();
    this.last = this.view.at(e);
    this.gesture = this.begun(e) ?? this.gesture;
    this.view.element.classList.toggle("turning", this.gesture?.turns ?? false);
  }

  private begun(e: PointerEvent): Gesture | null {
    if (e.button === 1 || (e.button === 0 && held.space && e.shiftKey)) return moveView(this.view);
    if (e.button === 2 || (e.button === 0 && held.space)) return this.view.kind === "solid" ? turnView() : moveView(this.view);
    if (e.button !== 0) return null;
    this.view.point(this.last);
    if (this.paintable) return this.pressed(e);
    if (!workshop.getState().seaming) return takeIsland(this.view, e);
    const at = probeAt();
    if (at) void markSeam(at, !e.shiftKey);
    return null;
  }

  private pressed(e: PointerEvent): Gesture | null {
    const { tool, clone } = workshop.getState();
    if (adjusting.getState().picking) return pickColour(this.view, e);
    if (masks.getState().picking) {
      const at = probeAt();
      if (at) void pickForMask(at);
      return null;
    }
    if (held.resize && tool !== "fill" && tool !== "pick") return resizeBrush({ ...this.last });
    if (tool === "line" || tool === "stamp") return drawShape(this.view, e);
    if (tool === "clone" && (e.altKey || !clone)) {
      void takeCloneSource();
      return null;
    }
    if (tool === "pick" || e.altKey) {
      const at = probeAt();
      if (at) void pickAt(at);
      return null;
    }
    if (tool === "fill") return pressFill(this.view, e);
    const stroke = paintStroke(this.view, e);
    if (tool === "clone") void anchorClone();
    return stroke;
  }

  private move(e: PointerEvent): void {
    const now = this.view.at(e);
    this.view.point(now);
    this.gesture?.move?.(e, now, now.x - this.last.x, now.y - this.last.y);
    this.last = now;
    const ring = this.gesture?.ring ?? now;
    this.hover(ring.x, ring.y);
  }

  private up(e: PointerEvent): void {
    const { element } = this.view;
    this.gesture?.up?.();
    this.gesture = null;
    element.classList.remove("turning");
    if (element.hasPointerCapture(e.pointerId)) element.releasePointerCapture(e.pointerId);
  }

  private cancel(): void {
    this.gesture?.cancel?.();
    this.gesture = null;
  }

  private wheel(e: WheelEvent): void {
    e.preventDefault();
    approach(this.view, e);
    const p = this.view.at(e);
    this.hover(p.x, p.y);
  }
}
