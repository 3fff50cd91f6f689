import { useEffect, useRef, useState } from "react";
import { closeProject, openProject } from "../state/following";
import { useRoute, useWorkshop } from "../state/hooks";
import { handleKey, pressUnderKey, releaseKey } from "../tools/commands";
import { Boundary } from "../ui/Boundary";
import { Questions } from "../ui/dialogs";
import { openStage } from "../viewport/openStage";
import { BakeScreen } from "./BakeScreen";
import { CheckScreen } from "./CheckScreen";
import { ExportScreen } from "./ExportScreen";
import { JobBar } from "./JobBar";
import { ShownMessage } from "./Messages";
import { ModelScreen } from "./ModelScreen";
import { PaintScreen } from "./PaintScreen";
import { ProjectsScreen } from "./ProjectsScreen";
import { ShortcutsDialog } from "./ShortcutsDialog";
import { TopBar } from "./TopBar";
import { VariantsScreen } from "./VariantsScreen";
import { EyeFilters } from "../viewport/EyeFilters";
import { reviewing } from "../state/reviewing";
import { useStore } from "zustand";

export function App({ onMode }: { onMode: () => void }) {
  const { uid, screen } = useRoute();
  const [help, setHelp] = useState(false);
  useEffect(() => {
    const listen = (event: KeyboardEvent): void => {
      if (event.key === "?" && !(event.target as HTMLElement | null)?.closest("input, textarea, [role=dialog]")) {
        event.preventDefault();
        setHelp(true);
      } else if (uid) handleKey(event);
    };
    window.addEventListener("keydown", listen);
    window.addEventListener("keyup", releaseKey);
    window.addEventListener("pointerdown", pressUnderKey, true);
    window.addEventListener("pointerup", pressUnderKey, true);
    return () => {
      window.removeEventListener("keydown", listen);
      window.removeEventListener("keyup", releaseKey);
      window.removeEventListener("pointerdown", pressUnderKey, true);
      window.removeEventListener("pointerup", pressUnderKey, true);
    };
  }, [uid]);
  return (
    <>
      {uid ? <Project key={uid} uid={uid} screen={screen} onMode={onMode} onHelp={() => setHelp(true)} /> : <ProjectsScreen onMode={onMode} />}
      <ShortcutsDialog open={help} onClose={() => setHelp(false)} />
      <ShownMessage />
      <Questions />
    </>
  );
}

function Project({ uid, screen, onMode, onHelp }: { uid: string; screen: string; onMode: () => void; onHelp: () => void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const loaded = useWorkshop((s) => s.project?.uid === uid);
  const seeing = useStore(reviewing, (s) => s.seeing);
  useEffect(() => {
    if (!canvas.current) return;
    const closeStage = openStage(canvas.current);
    void openProject(uid);
    return () => {
      closeProject();
      closeStage();
    };
  }, [uid]);
  return (
    <div className="shell">
      <EyeFilters />
      <canvas ref={canvas} className="stage-canvas" aria-hidden="true" style={seeing ? { filter: `url(#seen-${seeing})` } : undefined} />
      <TopBar uid={uid} screen={screen} onMode={onMode} onHelp={onHelp} />
      {!loaded && <main className="page quiet">Opening the project…</main>}
      {loaded && (
        <Boundary key={screen} what="This screen">
          {screen === "model" && <ModelScreen />}
          {screen === "bake" && <BakeScreen />}
          {screen === "paint" && <PaintScreen />}
          {screen === "variants" && <VariantsScreen />}
          {screen === "check" && <CheckScreen />}
          {screen === "export" && <ExportScreen />}
        </Boundary>
      )}
      <JobBar />
    </div>
  );
}
