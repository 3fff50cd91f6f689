import { ReadingCard } from "../bake/TouchUpCard";
import { LayerGrid } from "../grid/LayerGrid";
import { AdjustCard } from "../adjust/AdjustCard";
import { MaskCard } from "../masks/MaskCard";
import { BrushCard } from "../paint/BrushCard";
import { ConfineCard } from "../paint/ConfineCard";
import { FillCard } from "../paint/FillCard";
import { LineCard } from "../paint/LineCard";
import { PaintCard } from "../paint/PaintCard";
import { TargetRibbon } from "../paint/TargetRibbon";
import { TipCard } from "../paint/TipCard";
import { ToolRail } from "../paint/ToolRail";
import { toolKind } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { TwoViews } from "../viewport/TwoViews";
import { Diagnostics } from "./Diagnostics";
import { OutsideDialog } from "./OutsideDialog";

export function PaintScreen() {
  const tool = useWorkshop((s) => s.tool);
  const kind = useWorkshop(toolKind);
  const sheets = useDocument()?.sheets.length ?? 0;
  if (!sheets) {
    return (
      <main className="page">
        <h2 className="plain">There is no sheet to paint on</h2>
        <p className="note">The model has no UVs. The Model screen unwraps it.</p>
      </main>
    );
  }
  return (
    <main className="paint">
      <OutsideDialog />
      <ToolRail />
      <div className="middle">
        <TargetRibbon />
        <Diagnostics />
        <TwoViews share="64%" grid="layer grid">
          <LayerGrid />
        </TwoViews>
      </div>
      <aside className="side">
        <MaskCard />
        <AdjustCard />
        {tool === "fill" && <FillCard />}
        {(tool === "line" || tool === "stamp") && <LineCard />}
        <ReadingCard />
        {kind?.tip && <BrushCard />}
        {kind?.tip && <TipCard />}
        {tool !== "pick" && <ConfineCard />}
        <PaintCard />
      </aside>
    </main>
  );
}
