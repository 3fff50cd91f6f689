import { Group, Panel, Separator } from "react-resizable-panels";
import { useDocument } from "../state/hooks";
import { textured } from "../state/layers";
import { FlatView } from "./FlatView";
import { SolidView } from "./SolidView";

/** The 3D view beside the flat sheet; alone where nothing can be laid flat. `share`: width of the 3D view at first; `unfolds`: whether the model can be laid flat in it. */
export function SideBySide({ share, paintable = true, unfolds = false }: { share: string; paintable?: boolean; unfolds?: boolean }) {
  const document = useDocument();
  const flat = !document || textured(document).length > 0;
  return (
    <Group orientation="horizontal" key={flat ? "both" : "solid"}>
      <Panel defaultSize={flat ? share : "100%"} minSize="20%">
        <SolidView paintable={paintable} unfolds={unfolds && flat} />
      </Panel>
      {flat && <Separator className="handle-x" aria-label="Width of the views" />}
      {flat && (
        <Panel minSize="20%">
          <FlatView paintable={paintable} />
        </Panel>
      )}
    </Group>
  );
}
