import { Tooltip } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { useStore } from "zustand";
import { chooseSheet } from "../state/hand";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { openOutside, outside } from "../state/outside";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { hint } from "../tools/commands";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { Ahead } from "./Ahead";
import { SplitLine } from "./SplitLine";
import { OutlineView, ShapeHandles } from "./Overlays";
import { usePointer } from "./usePointer";

/** The flat sheet: the same paint, unrolled, and just as paintable. */
export function FlatView({ paintable = true }: { paintable?: boolean }) {
  const place = useRef<HTMLDivElement>(null);
  const ring = useRef<SVGGElement>(null);
  const document = useDocument();
  const sheet = useSheet();
  const wire = useWorkshop((s) => s.wire);
  const tile = useWorkshop((s) => s.model?.sheets.find((x) => x.id === s.sheet)?.tile);
  const [percent, setPercent] = useState(0);
  const watching = useStore(outside, (s) => s.watching);
  const vertices = sheet?.of === "vertices";
  const side = vertices ? 0 : (sheet?.resolution ?? 0);
  useEffect(() => {
    const stage = theStage();
    stage?.attach("flat", place.current);
    return () => stage?.attach("flat", null);
  }, []);
  useEffect(() => {
    const stage = theStage();
    if (!stage) return;
    const follow = (): void => {
      if (side) setPercent(Math.round((100 * stage.pan.scale) / side));
    };
    stage.onDrawn.add(follow);
    stage.draw();
    return () => {
      stage.onDrawn.delete(follow);
    };
  }, [side]);
  usePointer("flat", place, paintable && !vertices, (x, y) => {
    const stage = theStage();
    if (!ring.current || !stage) return;
    const { brush, tool } = workshop.getState();
    if (x === null || !paintable || vertices) {
      ring.current.innerHTML = "";
      return;
    }
    const facts = workshop.getState().model?.sheets.find((s) => s.id === workshop.getState().sheet);
    const texel = side ? stage.pan.scale / side : 1;
    const wide = brush.size_unit === "view" ? brush.size : brush.size * stage.width * (facts?.density ?? 1) * texel;
    const r = tool !== "fill" && tool !== "pick" && tool !== "stamp" ? wide / 2 : 5;
    const circle = (radius: number, o: number): string =>
      `<circle cx="${x}" cy="${y}" r="${radius}" fill="none" stroke="#000" stroke-opacity="0.5" stroke-width="3"/><circle cx="${x}" cy="${y}" r="${radius}" fill="none" stroke="#fff" stroke-opacity="${o}" stroke-width="1.3"/>`;
    ring.current.innerHTML = circle(r, 0.95) + (brush.hardness > 0.02 && brush.hardness < 0.98 && r > 5 ? circle(r * brush.hardness, 0.5) : "");
  });
  const zoom = (factor: number): void => {
    const box = place.current?.getBoundingClientRect();
    if (!box) return;
    theStage()?.pan.zoom(factor, box.width / 2, box.height / 2);
    theStage()?.draw();
  };
  const zoomButtons = (
    <>
      <Tooltip title="Further (wheel)">
        <button className="iconbtn small" aria-label="Zoom out" onClick={() => zoom(1 / 1.25)}>
          <Icon name="minus" />
        </button>
      </Tooltip>
      <Tooltip title={hint("Fit the sheet into the view", "refit")}>
        <button className="iconbtn percent-btn" aria-label={`${percent}%: fit the sheet`} onClick={() => theStage()?.refit()}>
          {percent}%
        </button>
      </Tooltip>
      <Tooltip title="Nearer (wheel)">
        <button className="iconbtn small" aria-label="Zoom in" onClick={() => zoom(1.25)}>
          <Icon name="plus" />
        </button>
      </Tooltip>
    </>
  );
  return (
    <section className="view" aria-label="Flat sheet">
      <div className="vhead">
        <Tooltip title={hint("Sheet shown and painted", "next-sheet")}>
          <Dropdown label="Sheet" value={sheet?.id ?? ""} options={document?.sheets ?? []} onChoose={chooseSheet} sx={{ maxWidth: 150 }} />
        </Tooltip>
        {!vertices && (
          <Tooltip title="Show the polygons' edges">
            <Toggle plain on={wire} onToggle={() => workshop.setState({ wire: !wire })}>
              Wire
            </Toggle>
          </Tooltip>
        )}
        {!vertices && paintable && (
          <Tooltip title="Take a map to a program outside and bring it back">
            <PushButton onClick={() => openOutside(true)}>{watching ? "Outside: watching" : "Outside…"}</PushButton>
          </Tooltip>
        )}
        <span className="push" />
        {!vertices && zoomButtons}
      </div>
      <div className="stage" ref={place} data-testid="flat">
        <svg className="over">
          <g ref={ring} />
        </svg>
        {paintable && !vertices && <Ahead kind="flat" side={side} />}
        {paintable && !vertices && <ShapeHandles kind="flat" side={side} />}
        <OutlineView kind="flat" />
        {paintable && <SplitLine told={false} />}
        {vertices && (
          <div className="nosheet">
            <b>Vertex paint has no flat sheet</b>
            <p className="note">Its values lie on the vertices of the mesh. Choose a sheet above to see it laid flat.</p>
          </div>
        )}
        {sheet && !vertices && (
          <span className="tag">
            {tile ?? 1001} · {sheet.name} · {sheet.resolution}
          </span>
        )}
      </div>
    </section>
  );
}
