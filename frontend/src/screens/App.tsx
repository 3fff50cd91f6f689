import { useEffect, useRef, useState } from "react";
import { useRoute, useWorkshop } from "../state/hooks";
import { closeProject, openProject, openStage } from "../state/workshop";
import { handleKey, pressUnderKey, releaseKey } from "../tools/commands";
import { BakeScreen } from "./BakeScreen";
import { ExportScreen } from "./ExportScreen";
import { JobBar } from "./JobBar";
import { ShownMessage } from "./Messages";
import { ModelScreen } from "./ModelScreen";
import { PaintScreen } from "./PaintScreen";
import { ProjectsScreen } from "./ProjectsScreen";
import { ShortcutsDialog } from "./ShortcutsDialog";
import { TopBar } from "./TopBar";

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
    </>
  );
}

function Project({ uid, screen, onMode, onHelp }: { uid: string; screen: string; onMode: () => void; onHelp: () => void }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const loaded = useWorkshop((s) => s.project?.uid === uid);
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
      <canvas ref={canvas} className="stage-canvas" aria-hidden="true" />
      <TopBar uid={uid} screen={screen} onMode={onMode} onHelp={onHelp} />
      {!loaded && <main className="page quiet" style={{ background: "var(--app)" }}>Opening the project…</main>}
      {loaded && screen === "model" && <ModelScreen />}
      {loaded && screen === "bake" && <BakeScreen />}
      {loaded && screen === "paint" && <PaintScreen />}
      {loaded && screen === "export" && <ExportScreen />}
      <JobBar />
    </div>
  );
}
