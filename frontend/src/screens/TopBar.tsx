import { Tooltip } from "@mui/material";
import { Fragment, useState } from "react";
import { redo, undo } from "../state/edits";
import { useWorkshop } from "../state/hooks";
import { hint } from "../tools/commands";
import { Icon, Logo } from "../ui/icons";
import { HistoryDialog } from "./HistoryDialog";
import { MessageList } from "./Messages";
import { Preparing } from "./Readiness";
import { TopButton } from "./TopButton";

const STEPS = [
  ["model", "Model"],
  ["bake", "Bake"],
  ["paint", "Paint"],
  ["variants", "Variants"],
  ["check", "Check"],
  ["export", "Export"],
] as const;

export function TopBar({ uid, screen, onMode, onHelp }: { uid: string; screen: string; onMode: () => void; onHelp: () => void }) {
  const project = useWorkshop((s) => s.project);
  const [history, setHistory] = useState(false);
  return (
    <header className="top">
      <div className="brand">
        <Tooltip title="All projects">
          <a href="#/" aria-label="Ruvelt: all projects" className="home">
            <Logo />
            <span className="word">Ruvelt</span>
          </a>
        </Tooltip>
        <span className="bar" />
        <span className="name">{project?.name}</span>
      </div>
      <nav className="path" aria-label="Job path">
        {STEPS.map(([id, name], i) => (
          <Fragment key={id}>
            {i > 0 && <i className="join" />}
            <a className="step" href={`#/${uid}/${id}`} aria-current={screen === id ? "page" : undefined}>
              <Icon name={screen === id ? "here" : "open"} />
              {name}
            </a>
          </Fragment>
        ))}
      </nav>
      <div className="topright">
        <Preparing />
        <TopButton
          icon="undo"
          label={hint(project?.undo_label ? `Undo: ${project.undo_label}` : "Undo", "undo")}
          name="Undo"
          off={!project?.can_undo}
          onClick={() => void undo()}
        />
        <TopButton
          icon="redo"
          label={hint(project?.redo_label ? `Redo: ${project.redo_label}` : "Redo", "redo")}
          name="Redo"
          off={!project?.can_redo}
          onClick={() => void redo()}
        />
        <TopButton icon="clock" label="History and versions" name="History and versions" onClick={() => setHistory(true)} />
        <span className="sep" />
        <Stored />
        <span className="sep" />
        <MessageList />
        <TopButton icon="half" label="Light or dark" name="Light or dark" onClick={onMode} />
        <TopButton icon="help" label="Shortcuts (?)" name="Shortcuts" onClick={onHelp} />
      </div>
      <HistoryDialog open={history} onClose={() => setHistory(false)} />
    </header>
  );
}

function Stored() {
  const at = useWorkshop((s) => s.storedAt);
  const lost = useWorkshop((s) => s.lost);
  if (lost) {
    return (
      <span className="stored bad" role="status">
        <i />
        Server away
      </span>
    );
  }
  const time = at ? new Date(at * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false }) : "";
  return (
    <Tooltip title="Every finished stroke is stored at once; there is nothing to save">
      <span className="stored" role="status">
        <i />
        Stored {time}
      </span>
    </Tooltip>
  );
}
