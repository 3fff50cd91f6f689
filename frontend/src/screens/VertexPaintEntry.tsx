import { Button, Tooltip } from "@mui/material";
import { chooseSheet } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { addVertexPaint, removeVertexPaint } from "../state/layout";

/** Layers on the vertices of the mesh: begun, shown, or taken away. */
export function VertexPaintEntry() {
  const document = useDocument();
  const sheet = document?.sheets.find((s) => s.of === "vertices");
  const facts = useWorkshop((s) => s.model?.sheets.find((x) => x.id === sheet?.id));
  const current = useWorkshop((s) => s.sheet === sheet?.id);
  if (!sheet) {
    return (
      <div className="prow apart">
        <Tooltip title="Layers whose values lie on the vertices of the mesh, for engines and sculpts that want colours without maps">
          <Button onClick={() => void addVertexPaint()}>Add vertex paint</Button>
        </Tooltip>
      </div>
    );
  }
  return (
    <div className={current ? "finding sheet current" : "finding sheet"}>
      <button className="item flush" onClick={() => chooseSheet(sheet.id)} aria-label={`Show ${sheet.name}`}>
        <b>{sheet.name}</b> <span className="count">vertex paint</span>
      </button>
      {facts && (
        <div className="note">
          {facts.covered.toLocaleString()} vertices · {facts.density.toFixed(0)} per unit
        </div>
      )}
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
