import { Button, LinearProgress, Tooltip } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useStore } from "zustand";
import { api } from "../api/client";
import type { BakeParameter, BakeSettings } from "../api/types";
import { bakery, paintStraight, request, setSetting, startBake, stopBake, toggleShell } from "../state/bake";
import { useDocument, useWorkshop } from "../state/hooks";
import { theStage } from "../state/stage";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

/** The settings that change the chosen maps, and the button. */
export function SettingsCard() {
  const parameters = useWorkshop((s) => s.registries?.bake.parameters);
  const maps = useWorkshop((s) => s.registries?.bake.maps);
  const high = (useDocument()?.high_meshes.length ?? 0) > 0;
  const shell = useWorkshop((s) => s.shell);
  const caged = useDocument()?.cage_mesh != null;
  const sheet = useWorkshop((s) => s.sheet);
  const { chosen, source, settings, everySheet } = useStore(bakery);
  if (!parameters || !maps || !settings) return null;
  const used = new Set(maps.filter((m) => chosen.includes(m.id)).flatMap((m) => m.settings));
  const projects = high && source === "high";
  const shown = parameters.filter((p) => {
    if (p.id === "cage_blend") return projects && settings.cage === "blended";
    if (["front", "back", "cage", "match_parts", "ignore_back"].includes(p.id)) return projects;
    return p.id === "antialias" ? source !== "normal-map" : used.has(p.id);
  });
  return (
    <section className="card" aria-label="Bake settings">
      <div className="chead">
        <h2>Bake</h2>
        <div className="right seg" role="group" aria-label="Sheets to bake">
          <Tooltip title="Bake the chosen maps of every sheet">
            <button aria-pressed={everySheet} onClick={() => bakery.setState({ everySheet: true })}>
              All sheets
            </button>
          </Tooltip>
          <Tooltip title="Bake the chosen maps of the sheet that is shown">
            <button aria-pressed={!everySheet} onClick={() => bakery.setState({ everySheet: false })}>
              This sheet
            </button>
          </Tooltip>
        </div>
      </div>
      {projects && (
        <div className="prow">
          <Tooltip title="Show in the 3D view how far outside and inside the model is searched">
            <Toggle on={shell} onToggle={toggleShell}>
              Show the search distance
            </Toggle>
          </Tooltip>
          <Tooltip title="Paint where rays leave straight along the face, so that what they meet is not slanted">
            <PushButton disabled={!sheet} onClick={() => sheet && void paintStraight(sheet)}>
              Paint straight rays
            </PushButton>
          </Tooltip>
        </div>
      )}
      {shown.map((p) => (
        <Control key={p.id} parameter={p} settings={settings} caged={caged} />
      ))}
      <StartButton />
    </section>
  );
}

const AXES: [string, [number, number, number]][] = [
  ["+X", [1, 0, 0]],
  ["−X", [-1, 0, 0]],
  ["+Y", [0, 1, 0]],
  ["−Y", [0, -1, 0]],
  ["+Z", [0, 0, 1]],
  ["−Z", [0, 0, -1]],
];

/** What values of choices are called. */
const CHOICES: Record<string, Record<string, string>> = {
  cage: { blended: "Blended", averaged: "Averaged", split: "Split", file: "From the file" },
  shading: { everything: "Everything", matched: "Matched parts only", own: "Own part only" },
};

function Control({ parameter: p, settings, caged }: { parameter: BakeParameter; settings: BakeSettings; caged: boolean }) {
  const diagonal = theStage()?.diagonal ?? 1;
  const value = settings[p.id as keyof BakeSettings];
  if (p.kind === "part") {
    return (
      <NamedSlider
        label={p.name}
        title={p.hint}
        value={value as number}
        low={p.low}
        high={p.high}
        step={0.01}
        unit="percent"
        onChange={(v) => setSetting({ [p.id]: v })}
      />
    );
  }
  if (p.kind === "length") {
    // Told in the model's own units, kept as a share of its size.
    return (
      <NamedSlider
        label={p.name}
        title={`${p.hint}, in the model's units`}
        value={(value as number) * diagonal}
        low={p.low * diagonal}
        high={p.high * diagonal}
        step={0.001}
        unit="number"
        log
        onChange={(v) => setSetting({ [p.id]: Math.min(p.high, Math.max(p.low, v / diagonal)) })}
      />
    );
  }
  if (p.kind === "share" || p.kind === "count") {
    return (
      <NamedSlider
        label={p.name}
        title={p.hint}
        value={value as number}
        low={p.low}
        high={p.high}
        step={p.kind === "count" ? 1 : 0.001}
        unit={p.kind === "count" ? "count" : "percent"}
        log
        onChange={(v) => setSetting({ [p.id]: p.kind === "count" ? Math.round(v) : v })}
      />
    );
  }
  if (p.kind === "switch") {
    return (
      <div className="prow">
        <Tooltip title={p.hint}>
          <Toggle on={value as boolean} onToggle={() => setSetting({ [p.id]: !value })}>
            {p.name}
          </Toggle>
        </Tooltip>
      </div>
    );
  }
  const choices: [string, unknown][] =
    p.kind === "direction"
      ? AXES
      : p.choices.filter((c) => p.id !== "cage" || c !== "file" || caged).map((c) => [CHOICES[p.id]?.[c] ?? c, p.id === "antialias" ? Number(c) : c]);
  const current = choices.findIndex(([, v]) => JSON.stringify(v) === JSON.stringify(value));
  return (
    <div className="prow">
      <span className="label">{p.name}</span>
      <Tooltip title={p.hint}>
        <Dropdown
          label={p.name}
          value={String(current)}
          options={choices.map(([name], i) => ({ id: String(i), name: p.id === "antialias" ? `${name} × ${name}` : name }))}
          onChoose={(i) => setSetting({ [p.id]: choices[Number(i)]?.[1] })}
        />
      </Tooltip>
    </div>
  );
}

function amount(rays: number): string {
  return rays >= 1e6 ? `${(rays / 1e6).toFixed(1)} million rays` : `${Math.round(rays / 1000)} thousand rays`;
}

function StartButton() {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const sheet = useWorkshop((s) => s.sheet);
  const job = useWorkshop((s) => s.job);
  const revision = useWorkshop((s) => s.project?.revision);
  const { running, startedAt } = useStore(bakery);
  useStore(bakery);
  const wanted = request();
  const { data } = useQuery({
    queryKey: ["estimate", uid, revision, sheet, wanted],
    queryFn: () => (wanted ? api.estimate(uid, wanted) : null),
    enabled: wanted !== null && !running,
    placeholderData: (old) => old,
  });
  if (running) {
    const share = job?.planned ? job.done / job.planned : 0;
    const left = share > 0.03 ? Math.ceil(((Date.now() - startedAt) / 1000) * (1 / share - 1)) : null;
    return (
      <div role="status" aria-label="Bake progress">
        <LinearProgress variant="determinate" value={100 * share} sx={{ my: 1 }} aria-label="Bake" />
        <div className="prow">
          <span className="quiet first">
            {job?.message || "Starting"}
            {left !== null && ` · about ${left} s left`}
          </span>
          <Button onClick={() => void stopBake()}>Stop</Button>
        </div>
      </div>
    );
  }
  const count = wanted?.maps.length ?? 0;
  return (
    <>
      <div className="prow apart">
        <Button variant="contained" disabled={!count} onClick={() => void startBake()}>
          {count ? `Bake ${count} ${count === 1 ? "map" : "maps"}` : "Choose a map to bake"}
        </Button>
      </div>
      {data && count > 0 && (
        <p className="note">
          {data.rays ? `${amount(data.rays)} · ` : ""}
          {(data.memory / 2 ** 20).toFixed(0)} MiB for the mesh, {(data.free / 2 ** 30).toFixed(1)} GiB free
        </p>
      )}
    </>
  );
}
