/** One of the two views, as gestures see it: where the pointer is, on the model and on the sheet. */
import type { PointerSample } from "../../api/types";
import { findSheet } from "../../state/layers";
import { theStage } from "../../state/stage";
import { workshop } from "../../state/workshop";
import { pointerOver } from "../../tools/pointer";

export type Kind = "solid" | "flat";
export interface Place {
  x: number;
  y: number;
}

export class View {
  constructor(
    readonly kind: Kind,
    readonly element: HTMLDivElement,
  ) {}

  /** Pixels of the view under a pointer. */
  at(e: PointerEvent | WheelEvent): Place {
    const box = this.element.getBoundingClientRect();
    return { x: e.clientX - box.left, y: e.clientY - box.top };
  }

  /** Say where the pointer is, for what asks about the place under it. */
  point(p: Place): void {
    const box = this.element.getBoundingClientRect();
    pointerOver(this.kind, p.x, p.y, box.width, box.height);
  }

  /** Texels a side of the sheet that is shown; 0 without one. Vertices have no sheet. */
  side(): number {
    const { project, sheet } = workshop.getState();
    const shown = project && sheet ? findSheet(project.document, sheet) : undefined;
    return shown?.of === "texels" ? shown.resolution : 0;
  }

  camera() {
    const box = this.element.getBoundingClientRect();
    return this.kind === "solid" ? (theStage()?.orbit.describe(box.width, box.height) ?? null) : null;
  }

  /** Object space or texels under a pointer; null off the surface. */
  surface(p: Place): number[] | null {
    if (this.kind === "flat") {
      const side = this.side();
      return side ? (theStage()?.pan.toTexel(p.x, p.y, side) ?? null) : null;
    }
    return theStage()?.hit(p.x, p.y)?.position.toArray() ?? null;
  }

  sample(e: PointerEvent): PointerSample {
    const p = this.at(e);
    const side = this.side();
    const [x, y] = this.kind === "flat" && side ? (theStage()?.pan.toTexel(p.x, p.y, side) ?? [p.x, p.y]) : [p.x, p.y];
    const pressure = e.pointerType === "pen" ? Math.min(1, Math.max(0, e.pressure)) : 1;
    return { x, y, pressure, time: e.timeStamp / 1000 };
  }
}
