/** Handles on the model: the ends of a gradient line, the middle of a planar picture. */
import { useEffect, useRef, useState } from "react";
import * as THREE from "three";
import { useStore } from "zustand";
import type { MaskStep } from "../api/types";
import { useWorkshop } from "../state/hooks";
import { changeMask, masks, openLayer, tryMask } from "../state/masks";
import { theStage } from "../state/workshop";

type Place = [number, number, number];

interface Handle {
  name: string;
  at: Place;
  moved: (at: Place) => Partial<MaskStep>;
}

/** Where the handles of a step are; a gradient without ends goes over the model's height. */
function handlesOf(step: MaskStep): Handle[] {
  if (step.kind === "gradient") {
    const [low, high] = theStage()?.box ?? [[0, 0, 0], [0, 1, 0]];
    const middle = [(low[0] + high[0]) / 2, 0, (low[2] + high[2]) / 2];
    const start: Place = step.start ?? [middle[0] ?? 0, low[1], middle[2] ?? 0];
    const end: Place = step.end ?? [middle[0] ?? 0, high[1], middle[2] ?? 0];
    return [
      { name: "Start of the gradient", at: start, moved: (at) => ({ start: at, end }) },
      { name: "End of the gradient", at: end, moved: (at) => ({ start, end: at }) },
    ];
  }
  if (step.kind === "image" && step.projection.way === "planar") {
    return [{ name: "Middle of the picture", at: step.projection.centre, moved: (at) => ({ projection: { ...step.projection, centre: at } }) }];
  }
  return [];
}

export function MaskHandles() {
  const stepId = useStore(masks, (s) => s.handles);
  useStore(masks, (s) => s.open);
  useWorkshop((s) => s.project?.revision);
  const [draft, setDraft] = useState<MaskStep | null>(null);
  const [, drawn] = useState(0);
  const group = useRef<SVGSVGElement>(null);
  useEffect(() => {
    const stage = theStage();
    if (!stage || !stepId) return;
    const follow = (): void => drawn((n) => n + 1);
    stage.onDrawn.add(follow);
    return () => {
      stage.onDrawn.delete(follow);
    };
  }, [stepId]);
  const here = openLayer();
  const kept = here?.layer.mask?.sources.find((s) => s.id === stepId);
  const step = draft && draft.id === stepId ? draft : kept;
  const stage = theStage();
  if (!here?.layer.mask || !step || !stage) return null;
  const mask = here.layer.mask;
  const list = handlesOf(step);
  const places = stage.project(list.map((h) => new THREE.Vector3(...h.at)));
  const withStep = (change: Partial<MaskStep>): MaskStep => ({ ...step, ...change }) as MaskStep;
  const mine = (s: MaskStep): typeof mask => ({ ...mask, sources: mask.sources.map((x) => (x.id === s.id ? s : x)) });
  const under = (e: React.PointerEvent): Place | null => {
    const box = group.current?.getBoundingClientRect();
    const hit = box && stage.hit(e.clientX - box.left, e.clientY - box.top);
    return hit ? (hit.position.toArray() as Place) : null;
  };
  const line = places.length === 2 ? `M${places.map((p) => p.join(" ")).join("L")}` : null;
  return (
    <svg ref={group} className="over handles">
      {line && (
        <>
          <path d={line} stroke="#000" strokeOpacity={0.5} strokeWidth={4} />
          <path d={line} stroke="var(--target)" strokeWidth={2} />
        </>
      )}
      {places.map((p, i) => {
        const handle = list[i];
        if (!handle) return null;
        return (
          <circle
            key={handle.name}
            className="handle"
            role="button"
            aria-label={handle.name}
            cx={p[0]}
            cy={p[1]}
            r={8}
            fill={i ? "#fff" : "#222"}
            stroke="var(--target)"
            strokeWidth={2.5}
            onPointerDown={(e) => e.currentTarget.setPointerCapture(e.pointerId)}
            onPointerMove={(e) => {
              if (!e.currentTarget.hasPointerCapture(e.pointerId)) return;
              const at = under(e);
              if (!at) return;
              const next = withStep(handle.moved(at));
              setDraft(next);
              tryMask(mine(next));
            }}
            onPointerUp={(e) => {
              e.currentTarget.releasePointerCapture(e.pointerId);
              if (draft) void changeMask(mine(draft), `Move a handle of ${here.layer.name}`).then(() => setDraft(null));
            }}
          />
        );
      })}
    </svg>
  );
}
