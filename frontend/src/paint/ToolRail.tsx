import { Tooltip } from "@mui/material";
import { useRef } from "react";
import { api } from "../api/client";
import { toHex } from "../state/colour";
import { runJob } from "../state/edits";
import { refresh } from "../state/following";
import { swapColours } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { say } from "../state/messages";
import { workshop } from "../state/workshop";
import { hint } from "../tools/commands";
import { FileInput } from "../ui/FileInput";
import { Icon } from "../ui/icons";
import type { IconName } from "../ui/icons";

/** The tools. `touchUp`: only those that a mesh map takes. */
export function ToolRail({ touchUp = false }: { touchUp?: boolean }) {
  const tool = useWorkshop((s) => s.tool);
  const tools = useWorkshop((s) => s.registries?.tools);
  return (
    <aside className="rail" aria-label="Tools">
      {tools
        ?.filter((t) => !touchUp || t.touch_up)
        .map((t) => (
          <Tooltip key={t.id} title={hint(t.hint, t.id)} placement="right">
            <button className="tool" aria-pressed={tool === t.id} onClick={() => workshop.setState({ tool: t.id })}>
              <Icon name={t.icon as IconName} />
              <span>{t.name}</span>
            </button>
          </Tooltip>
        ))}
      <div className="gap" />
      {!touchUp && <Recorder />}
      <Chips />
    </aside>
  );
}

/** The two colours, or a mask's two values. */
function Chips() {
  const colours = useWorkshop((s) => s.colours);
  const masks = useWorkshop((s) => s.maskValues);
  const mask = useWorkshop((s) =>
    Boolean(s.target?.mask ?? (s.target?.mesh_map && s.registries?.bake.maps.find((m) => m.id === s.target?.mesh_map)?.components === 1)),
  );
  const shown = mask ? masks.map((v) => toHex([v, v, v])) : colours.map(toHex);
  return (
    <Tooltip
      title={hint(mask ? "Swap the two mask values; hold V for the other" : "Swap the two colours; hold V for the other", "swap")}
      placement="right"
    >
      <button className="chips" aria-label={mask ? "Swap values" : "Swap colours"} onClick={swapColours}>
        <span className="pair">
          <i style={{ background: shown[1] }} />
          <i style={{ background: shown[0] }} />
        </span>
        <span>{mask ? "Values" : "Colours"}</span>
      </button>
    </Tooltip>
  );
}

/** Records strokes to a script file and plays one back. */
function Recorder() {
  const recording = useWorkshop((s) => s.recording);
  const input = useRef<HTMLInputElement>(null);
  const toggle = async (): Promise<void> => {
    const { project, uid } = workshop.getState();
    if (!project || !uid) return;
    if (!recording) {
      workshop.setState({ recording: { since: project.head } });
      return say("Recording strokes. Press again to save them as a script.");
    }
    workshop.setState({ recording: null });
    try {
      const text = await api.script(uid, recording.since);
      const link = document.createElement("a");
      link.href = URL.createObjectURL(new Blob([text], { type: "application/json" }));
      link.download = `${project.name.replace(/[^A-Za-z0-9_-]+/g, "_")}_strokes.json`;
      link.click();
      URL.revokeObjectURL(link.href);
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  const play = async (file: File): Promise<void> => {
    const { uid } = workshop.getState();
    if (!uid) return;
    const text = await file.text();
    const job = await runJob(() => api.replay(uid, text));
    await refresh();
    if (job?.state === "done") say(`${String(job.result.strokes)} ${job.result.strokes === 1 ? "stroke" : "strokes"} replayed.`);
  };
  return (
    <>
      <Tooltip title={recording ? "Stop recording and save the script" : "Record strokes as a script"} placement="right">
        <button className="tool" aria-pressed={recording !== null} onClick={() => void toggle()}>
          <Icon name={recording ? "stop" : "record"} size={18} />
          <span>{recording ? "Stop" : "Record"}</span>
        </button>
      </Tooltip>
      <Tooltip title="Replay a stroke script" placement="right">
        <button className="tool" onClick={() => input.current?.click()}>
          <Icon name="load" size={18} />
          <span>Replay</span>
        </button>
      </Tooltip>
      <FileInput input={input} accept="application/json,.json" label="Stroke script" onFile={(file) => void play(file)} />
    </>
  );
}
