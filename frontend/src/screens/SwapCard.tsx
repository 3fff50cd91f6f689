import { Button, Tooltip } from "@mui/material";
import { useRef, useState } from "react";
import { swapMesh, type Swapped } from "../state/layout";
import { useWorkshop } from "../state/hooks";
import { accepted } from "../state/registries";
import { workshop } from "../state/workshop";
import { FileInput } from "../ui/FileInput";
import { PushButton } from "../ui/PushButton";

const RELATIONS: Record<string, string> = {
  layout: "The same mesh with another layout: strokes and fills were laid again.",
  moved: "The same vertices elsewhere: what is painted went with them.",
  shape: "The same shape with other faces: strokes and fills were laid again.",
  changed: "Another shape: each place took what lay nearest along its normal.",
};

/** A new version of the mesh under the paint there is. */
export function SwapCard() {
  const input = useRef<HTMLInputElement>(null);
  const job = useWorkshop((s) => s.job);
  const [found, setFound] = useState<Swapped | null>(null);
  return (
    <section aria-label="Another mesh">
      <h2>Another mesh</h2>
      <div className="prow apart">
        <Tooltip title="Bring a new version of this mesh in under the paint: another layout, another order of vertices, or a changed shape. Undo takes it back.">
          <Button disabled={job !== null} onClick={() => input.current?.click()}>
            Swap the mesh
          </Button>
        </Tooltip>
        <FileInput input={input} accept={accepted("meshes")} label="Mesh to swap in" onFile={(file) => void swapMesh(file).then(setFound)} />
      </div>
      {found && <p className="note">{RELATIONS[found.relation]}</p>}
      {found && found.dropped.length > 0 && <p className="note">Of the old layout, to be baked again: {found.dropped.join(", ")}.</p>}
      {found && found.lost > 0 && (
        <PushButton onClick={() => workshop.setState({ highlight: new Set(found.faces) })}>
          {found.lost.toLocaleString()} faces found no paint near them: show where
        </PushButton>
      )}
    </section>
  );
}
