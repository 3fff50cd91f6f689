/** Handles on the model: the ends of a gradient line, the middle and the edge of a picture. */
import { useRef, useState } from "react";
import * as THREE from "three";
import { useStore } from "zustand";
import type { Layer, MaskStep, Projection, Sheet } from "../api/types";
import { useSheet, useWorkshop } from "../state/hooks";
import { setPart } from "../state/layerActions";
import { findLayer, layerEdit, partIn } from "../state/layers";
import { changeMask, forgetTrial, masks, openLayer, tryEdit, tryMask } from "../state/masks";
import { edgeOf, withEdge } from "../state/projection";
import type { Place } from "../state/projection";
import { theStage } from "../state/stage";
import { useDrawn } from "./useDrawn";

interface Handle<T> {
  name: string;
  at: Place;
  moved: (at: Place) => T;
}

/** The middle of a picture, and the middle of its right side: how large it is and how it is turned. */
function ofProjection(projection: Projection, diagonal: number): Handle<Projection>[] {
  if (projection.mode === "uv") return [];
  return [
    { name: "Middle of the picture", at: projection.centre, moved: (centre) => ({ ...projection, centre }) },
    { name: "Edge of the picture", at: edgeOf(projection, diagonal), moved: (at) => withEdge(projection, at, diagonal) },
  ];
}

/** A gradient without ends goes over the model's height. */
function ofStep(step: MaskStep): Handle<MaskStep>[] {
  const stage = theStage();
  if (step.kind === "gradient") {
    const [low, high] = stage?.box ?? [
      [0, 0, 0],
      [0, 1, 0],
    ];
    const [x, z] = [(low[0] + high[0]) / 2, (low[2] + high[2]) / 2];
    const start: Place = step.start ?? [x, low[1], z];
    const end: Place = step.end ?? [x, high[1], z];
    return [
      { name: "Start of the gradient", at: start, moved: (at) => ({ ...step, start: at, end }) },
      { name: "End of the gradient", at: end, moved: (at) => ({ ...step, start, end: at }) },
    ];
  }
  if (step.kind !== "image" || !stage) return [];
  return ofProjection(step.projection, stage.diagonal).map((h) => ({ ...h, moved: (at: Place) => ({ ...step, projection: h.moved(at) }) }));
}

/** Whatever has handles now: the open step of the open mask, or the picture of a fill that is being set. */
export function SurfaceHandles() {
  const stepId = useStore(masks, (s) => s.handles);
  const fill = useStore(masks, (s) => s.fill);
  useStore(masks, (s) => s.open);
  useWorkshop((s) => s.project?.revision);
  const sheet = useSheet();
  const filled = fill && sheet ? findLayer(sheet, fill.layer) : undefined;
  if (fill && sheet && filled) return <FillHandles key={`${fill.layer}/${fill.channel}`} sheet={sheet} layer={filled} channel={fill.channel} />;
  const here = openLayer();
  const step = here?.layer.mask?.sources.find((s) => s.id === stepId);
  return here?.layer.mask && step ? <StepHandles key={step.id} layer={here.layer} step={step} /> : null;
}

function StepHandles({ layer, step }: { layer: Layer; step: MaskStep }) {
  const mask = layer.mask;
  if (!mask) return null;
  const put = (s: MaskStep): typeof mask => ({ ...mask, sources: mask.sources.map((x) => (x.id === s.id ? s : x)) });
  return <Handles value={step} of={ofStep} onTry={(s) => tryMask(put(s))} onTake={(s) => changeMask(put(s), `Move a handle of ${layer.name}`)} />;
}

function FillHandles({ sheet, layer, channel }: { sheet: Sheet; layer: Layer; channel: string }) {
  const content = partIn(layer, channel).content;
  const diagonal = theStage()?.diagonal ?? 1;
  if (content?.kind !== "image") return null;
  const part = (projection: Projection) => ({ ...partIn(layer, channel), content: { ...content, projection } });
  return (
    <Handles
      value={content.projection}
      of={(p) => ofProjection(p, diagonal)}
      onTry={(p) => tryEdit(sheet.id, layerEdit(sheet.id, layer.id, { channels: { ...layer.channels, [channel]: part(p) } }))}
      onTake={async (p) => {
        forgetTrial();
        await setPart(layer, channel, part(p), `Move a handle of ${layer.name}`);
      }}
    />
  );
}

function Handles<T>({
  value,
  of,
  onTry,
  onTake,
}: {
  value: T;
  of: (value: T) => Handle<T>[];
  onTry: (value: T) => void;
  onTake: (value: T) => Promise<void>;
}) {
  const [draft, setDraft] = useState<T | null>(null);
  const svg = useRef<SVGSVGElement>(null);
  useDrawn();
  const stage = theStage();
  if (!stage) return null;
  const list = of(draft ?? value);
  const places = stage.project(list.map((h) => new THREE.Vector3(...h.at)));
  const under = (e: React.PointerEvent): Place | null => {
    const box = svg.current?.getBoundingClientRect();
    const hit = box && stage.hit(e.clientX - box.left, e.clientY - box.top);
    return hit ? (hit.position.toArray() as Place) : null;
  };
  const line = places.length === 2 ? `M${places.map((p) => p.join(" ")).join("L")}` : null;
  return (
    <svg ref={svg} className="over handles">
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
              const next = handle.moved(at);
              setDraft(next);
              onTry(next);
            }}
            onPointerUp={(e) => {
              e.currentTarget.releasePointerCapture(e.pointerId);
              if (draft) void onTake(draft).then(() => setDraft(null));
            }}
          />
        );
      })}
    </svg>
  );
}
