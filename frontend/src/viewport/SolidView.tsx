import { Tooltip } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import * as THREE from "three";
import { useStore } from "zustand";
import { setBrush } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { compare, toggleSplit } from "../state/compare";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { hide } from "../state/edits";
import { PushButton } from "../ui/PushButton";
import { tooCoarse } from "../state/levels";
import { hint } from "../tools/commands";
import { Dropdown } from "../ui/Dropdown";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { Ahead } from "./Ahead";
import { SurfaceHandles } from "./Handles";
import { LightDial } from "./LightDial";
import { UnfoldSlider } from "./UnfoldSlider";
import { SplitLine } from "./SplitLine";
import { LevelSteps } from "./LevelSteps";
import { GradientHandles, OutlineView, ShapeHandles } from "./Overlays";
import { usePointer } from "./usePointer";

const AXES = ["x", "y", "z"] as const;
const TURNS = [2, 3, 4, 5, 6, 8, 10, 12, 16, 24];

/** The 3D view with its header and the ring on the surface. */
export function SolidView({ paintable = true, unfolds = false }: { paintable?: boolean; unfolds?: boolean }) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    theStage()?.attach("solid", place.current);
    return () => theStage()?.attach("solid", null);
  }, []);
  const mode = useWorkshop((s) => s.mode);
  const mirror = useWorkshop((s) => s.brush.mirror);
  const hidden = useWorkshop((s) => s.project?.document.hidden_parts.length ?? 0);
  const away = useWorkshop((s) => s.hiddenFaces !== null);
  return (
    <section className="view" aria-label="3D view">
      <div className="vhead">
        <Segments label="View mode">
          {(["lit", "channel", "flat"] as const).map((m) => (
            <Tooltip key={m} title={hint({ lit: "Lit", channel: "One channel", flat: "Flat colour" }[m], m)}>
              <Segment on={mode === m} onChoose={() => workshop.setState({ mode: m })}>
                {{ lit: "Lit", channel: "Channel", flat: "Flat" }[m]}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
        {mode === "channel" && <ChannelChoice />}
        {mode === "lit" && <LightDial />}
        {unfolds && <UnfoldSlider />}
        <span className="push" />
        {hidden > 0 && <span className="quiet">{hidden} hidden</span>}
        {away && (
          <Tooltip title="Some faces are hidden, or only some are shown: show all again, but for hidden parts">
            <PushButton onClick={() => void hide(workshop.getState().project?.document.hidden_parts ?? [], [], [])}>Show all faces</PushButton>
          </Tooltip>
        )}
        {paintable &&
          AXES.map((axis) => (
            <Tooltip key={axis} title={hint(`Mirror strokes across ${axis.toUpperCase()}`, `mirror-${axis}`)}>
              <Toggle
                plain
                on={mirror[axis]}
                onToggle={() => setBrush({ mirror: { ...mirror, [axis]: !mirror[axis] } })}
                aria-label={`Mirror ${axis.toUpperCase()}`}
              >
                {axis === "x" && <Icon name="mirror" />}
                {axis.toUpperCase()}
              </Toggle>
            </Tooltip>
          ))}
        {paintable && <SplitToggle />}
        {paintable && <LevelSteps />}
        {paintable && (
          <Tooltip title="Repeat strokes around an axis through the origin, so many times in all">
            <Dropdown
              label="Repeat around an axis"
              value={(mirror.around ?? 1) > 1 ? `${mirror.around}${mirror.axis}` : ""}
              options={[
                { id: "", name: "Once" },
                ...AXES.flatMap((axis) =>
                  TURNS.map((n) => ({ id: `${n}${axis}`, name: `${n} × ${axis.toUpperCase()}`, group: `Around ${axis.toUpperCase()}` })),
                ),
              ]}
              onChoose={(id) => setBrush({ mirror: { ...mirror, around: parseInt(id, 10) || 1, axis: (id.slice(-1) || "y") as "x" | "y" | "z" } })}
            />
          </Tooltip>
        )}
      </div>
      <SolidStage place={place} paintable={paintable} />
    </section>
  );
}

function SplitToggle() {
  const on = useStore(compare, (s) => s.split !== null);
  // A mesh map has a before of its own.
  const map = useWorkshop((s) => s.target?.mesh_map);
  if (map) return null;
  return (
    <Tooltip title={hint("Before and after, divided by a line; or hold the key for before", "before")}>
      <Toggle plain on={on} onToggle={toggleSplit}>
        Split
      </Toggle>
    </Tooltip>
  );
}

function ChannelChoice() {
  const document = useDocument();
  const channel = useWorkshop((s) => s.channel);
  const kinds = useWorkshop((s) => s.registries?.bake.maps);
  const baked = new Set(document?.sheets.flatMap((s) => s.mesh_maps.map((m) => m.id)));
  const maps = kinds?.filter((m) => baked.has(m.id) || channel === `map:${m.id}`);
  return (
    <Dropdown
      label="Channel shown"
      value={channel}
      options={[
        ...(document?.channels ?? []),
        { id: "normal", name: "Normal" },
        ...(channel.startsWith("mask:") ? [{ id: channel, name: "Mask" }] : []),
        ...(maps ?? []).map((m) => ({ id: `map:${m.id}`, name: m.name, group: "Mesh maps" })),
      ]}
      onChoose={(id) => workshop.setState({ channel: id })}
      sx={{ maxWidth: 136 }}
    />
  );
}

function SolidStage({ place, paintable }: { place: React.RefObject<HTMLDivElement | null>; paintable: boolean }) {
  const ring = useRef<SVGGElement>(null);
  const [foreign, setForeign] = useState<string | null>(null);
  const [coarse, setCoarse] = useState(false);
  const [hinted, setHinted] = useState(true);
  usePointer("solid", place, paintable, (x, y) => {
    drawRing(ring.current, x, y, paintable, setForeign, setCoarse);
    if (hinted && x !== null) setHinted(false);
  });
  return (
    <div className="stage" ref={place} data-testid="solid">
      <svg className="over">
        <g ref={ring} />
      </svg>
      {paintable && <Ahead kind="solid" />}
      {paintable && <SurfaceHandles />}
      {paintable && <ShapeHandles kind="solid" />}
      {paintable && <GradientHandles />}
      <OutlineView kind="solid" />
      {paintable && <SplitLine />}
      {foreign && <span className="tag">{foreign} is another sheet; this target does not reach it</span>}
      {coarse && !foreign && <span className="tag">The brush is finer than the mesh here: raise the level, or strokes show its vertices</span>}
      {hinted && <span className="tag low">Right-drag: orbit · wheel: zoom · middle-drag: pan</span>}
    </div>
  );
}

/** The ring lies on the surface: outer line is the brush's size, inner line its hard part; mirror twins are fainter. */
function drawRing(
  group: SVGGElement | null,
  x: number | null,
  y: number,
  paintable: boolean,
  setForeign: (name: string | null) => void,
  setCoarse: (coarse: boolean) => void,
): void {
  const stage = theStage();
  if (!group || !stage) return;
  const { brush, tool, target, project } = workshop.getState();
  const hit = x === null ? null : stage.hit(x, y);
  if (!hit || !paintable) {
    group.innerHTML = "";
    setForeign(null);
    setCoarse(false);
    return;
  }
  const other = target && hit.sheet !== target.sheet ? (project?.document.sheets.find((s) => s.id === hit.sheet)?.name ?? null) : null;
  setForeign(other);
  const round = tool !== "fill" && tool !== "pick" && tool !== "stamp";
  const brushRadius = brush.size_unit === "view" ? (brush.size / 2) * stage.pixelSize(hit.position) : (brush.size / 2) * stage.width;
  const home = target && project?.document.sheets.find((s) => s.id === target.sheet);
  const facts = home?.of === "vertices" ? workshop.getState().model?.sheets.find((s) => s.id === home.id) : undefined;
  const coarse = round && tooCoarse(brushRadius, facts?.density);
  setCoarse(coarse);
  const radius = round ? brushRadius : 5 * stage.pixelSize(hit.position);
  const lines: string[] = [];
  const add = (at: THREE.Vector3, normal: THREE.Vector3, share: number, faint: boolean): void => {
    const u = new THREE.Vector3(Math.abs(normal.x) < 0.9 ? 1 : 0, 0, Math.abs(normal.x) < 0.9 ? 0 : 1).cross(normal).normalize();
    const v = normal.clone().cross(u);
    const points = Array.from({ length: 40 }, (_, i) => {
      const a = (i / 40) * 2 * Math.PI;
      return at
        .clone()
        .addScaledVector(u, Math.cos(a) * radius * share)
        .addScaledVector(v, Math.sin(a) * radius * share);
    });
    const d = `M${stage
      .project(points)
      .map(([px, py]) => `${px.toFixed(1)} ${py.toFixed(1)}`)
      .join("L")}Z`;
    const dash = other || coarse ? ' stroke-dasharray="4 4"' : "";
    lines.push(`<path d="${d}" fill="none" stroke="#000" stroke-opacity="${faint ? 0.25 : 0.55}" stroke-width="3"/>`);
    lines.push(`<path d="${d}" fill="none" stroke="#fff" stroke-opacity="${faint ? 0.45 : 0.95}" stroke-width="1.3"${dash}/>`);
  };
  add(hit.position, hit.normal, 1, false);
  if (round && brush.hardness > 0.02 && brush.hardness < 0.98) add(hit.position, hit.normal, brush.hardness, true);
  if (round) {
    const { mirror } = brush;
    const twins: [number, number, number][] = [[1, 1, 1]];
    if (mirror.x) for (const t of [...twins]) twins.push([-t[0], t[1], t[2]]);
    if (mirror.y) for (const t of [...twins]) twins.push([t[0], -t[1], t[2]]);
    if (mirror.z) for (const t of [...twins]) twins.push([t[0], t[1], -t[2]]);
    const axis = new THREE.Vector3(Number(mirror.axis === "x"), Number(mirror.axis === "y"), Number(mirror.axis === "z"));
    const around = mirror.around ?? 1;
    for (let i = 0; i < around; i++) {
      const turn = (v: THREE.Vector3): THREE.Vector3 => v.applyAxisAngle(axis, (2 * Math.PI * i) / around);
      for (const t of i ? twins : twins.slice(1)) {
        const m = new THREE.Vector3(...t);
        add(turn(hit.position.clone().multiply(m)), turn(hit.normal.clone().multiply(m)), 1, true);
      }
    }
  }
  const tip = round ? tipPicture() : null;
  if (tip && x !== null) lines.push(tipImage(tip, x, y, radius / stage.pixelSize(hit.position)));
  const source = tool === "clone" ? workshop.getState().clone?.source : null;
  if (source) {
    const [at] = stage.project([new THREE.Vector3(...source)]);
    if (at) lines.push(cross(at[0], at[1]));
  }
  group.innerHTML = lines.join("");
}

/** The picture that dabs take their shape from; of a set the first. */
function tipPicture(): string | null {
  const { brush, registries } = workshop.getState();
  return registries?.tips.find((t) => t.id === brush.tips[0])?.picture ?? null;
}

/** The tip under the pointer, as large as it lays. */
function tipImage(href: string, x: number, y: number, r: number): string {
  const { angle } = workshop.getState().brush;
  return `<image href="${href}" x="${x - r}" y="${y - r}" width="${2 * r}" height="${2 * r}" opacity="0.3" style="mix-blend-mode:screen" transform="rotate(${-angle} ${x} ${y})"/>`;
}

/** Where clone reads. */
function cross(x: number, y: number): string {
  const d = `M${x - 8} ${y}H${x + 8}M${x} ${y - 8}V${y + 8}`;
  return `<path d="${d}" stroke="#000" stroke-opacity="0.6" stroke-width="4"/><path d="${d}" stroke="#fff" stroke-width="1.6"/>`;
}
