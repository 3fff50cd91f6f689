import { Tooltip } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { MapGrid } from "../bake/MapGrid";
import { PairsCard } from "../bake/PairsCard";
import { SettingsCard } from "../bake/SettingsCard";
import { SourceCard } from "../bake/SourceCard";
import { SuspectsCard } from "../bake/SuspectsCard";
import { TouchUpCard } from "../bake/TouchUpCard";
import { BrushCard } from "../paint/BrushCard";
import { ConfineCard } from "../paint/ConfineCard";
import { TargetRibbon } from "../paint/TargetRibbon";
import { TipCard } from "../paint/TipCard";
import { ToolRail } from "../paint/ToolRail";
import { enterBake, leaveBake, settle } from "../state/bake";
import { useDocument, useWorkshop } from "../state/hooks";
import { Segment, Segments } from "../ui/Segments";
import { TwoViews } from "../viewport/TwoViews";

/** Measures the model and repairs what went wrong, before or while painting. */
export function BakeScreen() {
  const sheets = useDocument()?.sheets.length ?? 0;
  const tool = useWorkshop((s) => s.tool);
  const [tab, setTab] = useState<"bake" | "touch">("bake");
  const known = useWorkshop((s) => s.registries !== null);
  useEffect(() => {
    // Opened by its address, the screen may be there before what the server lists.
    if (known && sheets) settle();
  }, [known, sheets]);
  const last = useRef<string | null>(null);
  useEffect(() => {
    if (!sheets) return;
    enterBake();
    return leaveBake;
  }, [sheets]);
  useEffect(() => {
    // Choosing a tool means touching up.
    if (last.current !== null && last.current !== tool) setTab("touch");
    last.current = tool;
  }, [tool]);
  const byHand = useWorkshop((s) => s.target?.mesh_map === "straight");
  useEffect(() => {
    if (byHand) setTab("touch");
  }, [byHand]);
  if (!sheets) {
    return (
      <main className="page">
        <h2 className="plain">There is no sheet to bake</h2>
        <p className="note">The model has no UVs. The Model screen unwraps it.</p>
      </main>
    );
  }
  return (
    <main className="paint bake">
      <ToolRail touchUp />
      <div className="middle">
        <TargetRibbon />
        <TwoViews share="60%" grid="map grid">
          <MapGrid />
        </TwoViews>
      </div>
      <aside className="side">
        <Segments label="Bake or touch up" className="tabs">
          <Tooltip title="Measure the model into maps">
            <Segment on={tab === "bake"} onChoose={() => setTab("bake")}>
              Bake
            </Segment>
          </Tooltip>
          <Tooltip title="Repair the map that is shown, by hand">
            <Segment on={tab === "touch"} onChoose={() => setTab("touch")}>
              Touch-up
            </Segment>
          </Tooltip>
        </Segments>
        {tab === "bake" ? (
          <>
            <SourceCard />
            <PairsCard />
            <SettingsCard />
            <SuspectsCard />
          </>
        ) : (
          <>
            <TouchUpCard />
            <BrushCard />
            {tool !== "pick" && <TipCard />}
            <ConfineCard />
          </>
        )}
      </aside>
    </main>
  );
}
