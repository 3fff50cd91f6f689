import { Group, Panel, Separator } from "react-resizable-panels";
import { ReadingCard } from "../bake/TouchUpCard";
import { LayerGrid } from "../grid/LayerGrid";
import { BrushCard, FillCard } from "../paint/BrushCard";
import { PaintCard } from "../paint/PaintCard";
import { TargetRibbon } from "../paint/TargetRibbon";
import { ToolRail } from "../paint/ToolRail";
import { useDocument, useWorkshop } from "../state/hooks";
import { FlatView } from "../viewport/FlatView";
import { SolidView } from "../viewport/SolidView";

export function PaintScreen() {
  const tool = useWorkshop((s) => s.tool);
  const sheets = useDocument()?.sheets.length ?? 0;
  if (!sheets) {
    return (
      <main className="page" style={{ background: "var(--app)" }}>
        <h2 className="plain">There is no sheet to paint on</h2>
        <p className="note">The model has no UVs. The Model screen unwraps it.</p>
      </main>
    );
  }
  return (
    <main className="paint">
      <ToolRail />
      <div className="middle">
        <TargetRibbon />
        <Group orientation="vertical" style={{ flex: 1, minHeight: 0 }}>
          <Panel defaultSize="64%" minSize="25%">
            <Group orientation="horizontal">
              <Panel defaultSize="58%" minSize="20%">
                <SolidView />
              </Panel>
              <Separator className="handle-x" aria-label="Width of the views" />
              <Panel minSize="20%">
                <FlatView />
              </Panel>
            </Group>
          </Panel>
          <Separator className="handle-y" aria-label="Height of the layer grid" />
          <Panel minSize="15%">
            <LayerGrid />
          </Panel>
        </Group>
      </div>
      <aside className="side">
        {tool === "fill" ? <FillCard /> : <BrushCard />}
        <ReadingCard />
        <PaintCard />
      </aside>
    </main>
  );
}
