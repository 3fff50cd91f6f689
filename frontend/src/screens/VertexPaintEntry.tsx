import { Button, Tooltip } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { api } from "../api/client";
import type { Sheet } from "../api/types";
import { chooseSheet } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { addVertexPaint, removeVertexPaint } from "../state/layout";
import { setLevel, toldLevel } from "../state/levels";
import { workshop } from "../state/workshop";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";

/** How levels are made; fixed once something lies above the model itself. */
function LevelRule({ sheet }: { sheet: Sheet }) {
  const levels = useWorkshop((s) => s.model?.sheets.find((x) => x.id === sheet.id)?.levels) ?? [];
  const brought = useWorkshop((s) => s.model?.file_normals);
  const free = sheet.level === 0;
  const sharp = sheet.sharp_deg ?? null;
  return (
    <>
      <div className="prow apart">
        <span className="label">
          Level {sheet.level}
          {free ? ", the model as it is" : ""}
        </span>
        <Segments label="How levels are made">
          <Tooltip title="New vertices round the surface off (Catmull-Clark)">
            <Segment disabled={!free} on={sheet.subdivision === "smooth"} onChoose={() => void setLevel(sheet, { subdivision: "smooth" })}>
              Smooth
            </Segment>
          </Tooltip>
          <Tooltip title="New vertices lie on the old faces; the shape stays">
            <Segment disabled={!free} on={sheet.subdivision === "simple"} onChoose={() => void setLevel(sheet, { subdivision: "simple" })}>
              Simple
            </Segment>
          </Tooltip>
        </Segments>
      </div>
      {sheet.subdivision === "smooth" && (
        <div className="prow">
          <Tooltip title="Edges where faces meet at more than 40 degrees stay sharp at every level">
            <Toggle on={sharp !== null} disabled={!free} onToggle={() => void setLevel(sheet, { sharp_deg: sharp === null ? 40 : null })}>
              Keep sharp edges
            </Toggle>
          </Tooltip>
          {brought && (
            <Tooltip title="Edges where the normals that came with the file break stay sharp at every level">
              <Toggle on={sheet.file_creases} disabled={!free} onToggle={() => void setLevel(sheet, { file_creases: !sheet.file_creases })}>
                As in the file
              </Toggle>
            </Tooltip>
          )}
        </div>
      )}
      {toldLevel(levels, sheet.level + 1) && (
        <div className="note">
          Level {sheet.level + 1}: {toldLevel(levels, sheet.level + 1)}. The level is raised and lowered over the 3D view while painting.
        </div>
      )}
    </>
  );
}

/** Whether edges of paint are too sharp for the mesh somewhere, and the way to see where. */
function Stairs({ sheet }: { sheet: Sheet }) {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const revision = useWorkshop((s) => s.project?.revision);
  const { data } = useQuery({ queryKey: ["stairs", uid, sheet.id, revision], queryFn: () => api.stairs(uid, sheet.id) });
  if (!data) return null;
  if (!data.count) return <div className="note">No edge of paint is too sharp for the mesh.</div>;
  return (
    <>
      <PushButton onClick={() => workshop.setState({ highlight: new Set(data.faces) })}>
        Stairs of paint on {data.count.toLocaleString()} faces: show where
      </PushButton>
      <div className="note">Raise the level, or soften those edges.</div>
    </>
  );
}

/** Layers on the vertices of the mesh: begun, shown, or taken away. */
export function VertexPaintEntry() {
  const document = useDocument();
  const sheet = document?.sheets.find((s) => s.of === "vertices");
  const facts = useWorkshop((s) => s.model?.sheets.find((x) => x.id === sheet?.id));
  const current = useWorkshop((s) => s.sheet === sheet?.id);
  const parts = useWorkshop((s) => s.model?.parts);
  const hidden = document?.hidden_parts ?? [];
  const visible = (parts ?? []).map((_, i) => i).filter((i) => !hidden.includes(i));
  if (!sheet) {
    return (
      <div className="prow apart">
        <Tooltip title="Layers whose values lie on the vertices of the mesh, for engines and sculpts that want colours without maps">
          <Button onClick={() => void addVertexPaint()}>Add vertex paint</Button>
        </Tooltip>
        {hidden.length > 0 && visible.length > 0 && (
          <Tooltip title="The hidden parts keep to their sheets">
            <Button onClick={() => void addVertexPaint(visible)}>Of the visible parts</Button>
          </Tooltip>
        )}
      </div>
    );
  }
  return (
    <div className={current ? "finding sheet current" : "finding sheet"}>
      <button className="item flush" onClick={() => chooseSheet(sheet.id)} aria-label={`Show ${sheet.name}`}>
        <b>{sheet.name}</b>{" "}
        <span className="count">
          {sheet.parts?.length ? `vertex paint of ${sheet.parts.map((p) => parts?.[p]?.name ?? p).join(", ")}` : "vertex paint"}
        </span>
      </button>
      {facts && (
        <div className="note">
          {facts.covered.toLocaleString()} vertices · {facts.density.toFixed(0)} per unit
        </div>
      )}
      <LevelRule sheet={sheet} />
      <Stairs sheet={sheet} />
      {textured(document).length > 0 && (
        <div className="prow apart">
          <Tooltip title="The layers on the vertices and what is painted there; one step of history">
            <Button onClick={() => void removeVertexPaint()}>Take vertex paint away</Button>
          </Tooltip>
        </div>
      )}
    </div>
  );
}
