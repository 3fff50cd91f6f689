import { Button, MenuItem, TextField, Tooltip } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import { api } from "../api/client";
import type { Finding } from "../api/types";
import { edit, hideParts } from "../state/edits";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { layoutFree, paintOnUvSet, placeIsland } from "../state/layout";
import { say } from "../state/messages";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { hint } from "../tools/commands";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { NamedSlider } from "../ui/sliders";
import { SideBySide } from "../viewport/SideBySide";
import { ImportNotes } from "./ImportNotes";
import { SheetEntry } from "./SheetEntry";
import { SwapCard } from "./SwapCard";
import { TransferCard } from "./TransferCard";
import { UnwrapCard } from "./UnwrapCard";
import { VertexPaintEntry } from "./VertexPaintEntry";

/** What was brought in: parts, sheets, and what is wrong before painting starts. */
export function ModelScreen() {
  const model = useWorkshop((s) => s.model);
  const document = useDocument();
  useEffect(() => () => workshop.setState({ highlight: null, island: null }), []);
  return (
    <main className="two">
      <div className="panel">
        <Findings findings={model?.findings ?? []} known={model !== null} />
        <ImportNotes />
        <Parts />
        <h2>Sheets and vertices</h2>
        {textured(document).map((s) => (
          <SheetEntry key={s.id} sheet={s} />
        ))}
        <VertexPaintEntry />
        <TransferCard />
        <Layout />
        <SwapCard />
        <Seams />
        <ProjectSettings />
        <CreaseAngle />
        <VertexColours />
        <h2>Numbers</h2>
        {model && (
          <div className="note">
            {model.faces.toLocaleString()} faces · {model.triangles.toLocaleString()} triangles · {model.vertices.toLocaleString()} vertices
            <br />
            {model.size.map((v) => v.toPrecision(3)).join(" × ")} units
            <br />
            Materials: {model.materials.join(", ")}
            {model.groups.length > 0 && (
              <>
                <br />
                {model.groups.length} face groups
              </>
            )}
            {model.uv_layouts.length > 0 && (
              <>
                <br />
                UV layouts: {model.uv_layouts.map((u) => u.name).join(", ")}
              </>
            )}
          </div>
        )}
      </div>
      <SideBySide share="56%" paintable={false} unfolds />
    </main>
  );
}

/** Unwrap, pack, and the island that was pressed. */
function Layout() {
  const sheets = textured(useDocument()).length;
  const free = useWorkshop((s) => layoutFree(s.project));
  const island = useWorkshop((s) => s.island);
  const [scale, setScale] = useState("100");
  const [turn, setTurn] = useState("0");
  return (
    <section aria-label="UV layout">
      <h2>Layout</h2>
      {!free && <p className="note">What is painted is laid again on a changed layout: strokes and fills as sharp as ever, pictures resampled.</p>}
      <UnwrapCard />
      <UvSets />
      {sheets > 0 && island === null && <p className="note">Press an island in a view to choose it; drag it on the flat sheet to move it.</p>}
      {island !== null && (
        <div className="prow apart" role="group" aria-label="Chosen island">
          <span className="label">Island {island + 1}</span>
          <TextField label="Scale, %" value={scale} onChange={(e) => setScale(e.target.value)} sx={{ width: 78 }} />
          <TextField label="Turn, °" value={turn} onChange={(e) => setTurn(e.target.value)} sx={{ width: 74 }} />
          <Tooltip title="Scale and turn the island about its centre">
            <Button
              onClick={() => {
                const factor = Number(scale) / 100;
                if (factor > 0 && Number.isFinite(Number(turn))) void placeIsland({ scale: factor, turn: Number(turn) });
                else say("Scale is a percentage above 0, and turn a number of degrees.", true);
              }}
            >
              Apply
            </Button>
          </Tooltip>
        </div>
      )}
      <Density />
    </section>
  );
}

/** Which of the file's UV sets is painted on. */
function UvSets() {
  const layouts = useWorkshop((s) => s.model?.uv_layouts);
  const own = layouts?.filter((u) => u.number >= 0) ?? [];
  const painted = layouts?.[0]?.number ?? -1;
  if (own.length < 2) return null;
  return (
    <div className="prow apart">
      <TextField
        select
        label="Paint on"
        title="The file's pictures stay where they are on the surface"
        value={painted}
        onChange={(e) => void paintOnUvSet(Number(e.target.value))}
        sx={{ width: 130 }}
      >
        {painted < 0 && <MenuItem value={-1}>{layouts?.[0]?.name}</MenuItem>}
        {own.map((u) => (
          <MenuItem key={u.number} value={u.number}>
            {u.name}
          </MenuItem>
        ))}
      </TextField>
    </div>
  );
}

/** How fine the chosen island is painted, beside the others of its sheet. */
function Density() {
  const density = useWorkshop((s) => (s.island === null ? null : s.density));
  if (!density) return null;
  const factor = density.others ? density.own / density.others : 1;
  return (
    <div className="prow" role="group" aria-label="Density">
      <span className="note first">
        {density.own.toPrecision(3)} texels a unit{density.others !== null && `, ${factor.toFixed(2)} × the other islands`}
      </span>
      {Math.abs(factor - 1) > 0.005 && (
        <Tooltip title="Scale the island so that strokes are as fine on it as on the other islands">
          <Button onClick={() => void placeIsland({ scale: 1 / factor })}>Match the others</Button>
        </Tooltip>
      )}
    </div>
  );
}

/** Edges that split islands, so that parts of them can be picked and filled. */
function Seams() {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const on = useWorkshop((s) => s.seaming);
  const seams = useDocument()?.seams;
  const sheets = textured(useDocument()).length;
  const { data } = useQuery({ queryKey: ["seams", uid, seams, sheets], queryFn: () => api.seamLines(uid), enabled: seams !== undefined });
  useEffect(() => {
    theStage()?.setSeams(data ?? []);
  }, [data]);
  useEffect(
    () => () => {
      theStage()?.setSeams([]);
      workshop.setState({ seaming: false });
    },
    [],
  );
  if (!sheets) return null;
  return (
    <section aria-label="Seams">
      <div className="prow apart">
        <Tooltip title="Press near an edge to mark it; marked edges split islands for Fill and masks">
          <Toggle on={on} onToggle={() => workshop.setState({ seaming: !on, island: null, highlight: null })}>
            Mark seams
          </Toggle>
        </Tooltip>
        <span className="quiet">{seams?.length ?? 0} edges marked</span>
      </div>
      {on && (
        <p className="note">A press takes the whole run of edges, Shift and press a single one; again takes the mark off. UVs stay as they are.</p>
      )}
    </section>
  );
}

/** From which angle on edges are sharp where the file says nothing about normals. */
function CreaseAngle() {
  const stored = useDocument()?.settings.crease_deg ?? 30;
  const own = useWorkshop((s) => s.model?.file_normals) ?? false;
  const [moved, setMoved] = useState<number | null>(null);
  if (own) return <p className="note">Normals are the file's own.</p>;
  return (
    <NamedSlider
      label="Crease angle"
      title="Faces that meet at no more than this are smooth; bake the normal map anew after a change"
      value={moved ?? stored}
      low={0}
      high={180}
      step={1}
      unit="degrees"
      onChange={setMoved}
      onDone={(v) => {
        setMoved(null);
        if (v !== stored) void edit("Crease angle", { edit: "set-settings", values: { crease_deg: v } });
      }}
    />
  );
}

/** Whether vertex colours multiply the base colour, as engines do it with a GLB. */
function VertexColours() {
  const there = useWorkshop((s) => s.model?.vertex_colors) ?? false;
  const on = useDocument()?.settings.multiply_vertex_colours ?? false;
  if (!there) return null;
  return (
    <div className="prow apart">
      <Tooltip title="In the views and in a GLB, as engines do; without it the GLB has no vertex colours">
        <Toggle on={on} onToggle={() => void edit("Vertex colours", { edit: "set-settings", values: { multiply_vertex_colours: !on } })}>
          Multiply by vertex colours
        </Toggle>
      </Tooltip>
    </div>
  );
}

/** How colours blend and how much relief a height of 1 is; both can be undone. */
function ProjectSettings() {
  const settings = useDocument()?.settings;
  if (!settings) return null;
  const set = (values: Record<string, unknown>, label: string): void => void edit(label, { edit: "set-settings", values });
  return (
    <>
      <h2>Project</h2>
      <div className="prow apart">
        <TextField
          select
          label="Blend space"
          value={settings.blend_space}
          onChange={(e) => set({ blend_space: e.target.value }, "Blend space")}
          sx={{ width: 140 }}
        >
          <MenuItem value="srgb">sRGB</MenuItem>
          <MenuItem value="linear">Linear</MenuItem>
        </TextField>
        <TextField
          label="Height range, % of size"
          title="Relief of height 1, as a share of the model's size"
          type="number"
          key={settings.height_range}
          defaultValue={Number((settings.height_range * 100).toFixed(3))}
          onBlur={(e) => {
            const share = Number(e.target.value) / 100;
            if (share > 0 && share <= 0.25 && share !== settings.height_range) set({ height_range: share }, "Height range");
          }}
          slotProps={{ htmlInput: { min: 0.1, max: 25, step: 0.1 } }}
          sx={{ width: 120 }}
        />
      </div>
    </>
  );
}

function Findings({ findings, known }: { findings: readonly Finding[]; known: boolean }) {
  const highlight = useWorkshop((s) => s.highlight);
  const shown = useRef<string | null>(null);
  return (
    <>
      <h2>Findings</h2>
      {known && !findings.length && <p className="note">Nothing stands in the way of painting.</p>}
      {findings.map((f) => {
        const on = highlight !== null && shown.current === f.kind;
        return (
          <button
            key={f.kind}
            className={`finding ${f.level}`}
            aria-pressed={on}
            onClick={() => {
              shown.current = on ? null : f.kind;
              workshop.setState({ highlight: on ? null : new Set(f.faces) });
            }}
          >
            <b>{f.title}</b>
            <div className="note">
              {f.advice} {f.count > 0 && (on ? "Press to take the colour off." : "Press to see where.")}
            </div>
          </button>
        );
      })}
    </>
  );
}

function Parts() {
  const parts = useWorkshop((s) => s.model?.parts);
  const hidden = useDocument()?.hidden_parts ?? [];
  const all = parts?.map((_, i) => i) ?? [];
  return (
    <>
      <h2>
        Parts
        {hidden.length > 0 && (
          <Tooltip title={hint("Show all parts", "show-all")}>
            <PushButton onClick={() => void hideParts([])}>Show all</PushButton>
          </Tooltip>
        )}
      </h2>
      <div className="list">
        {parts?.map((p, i) => {
          const off = hidden.includes(i);
          return (
            <div key={p.name} className={off ? "item off" : "item"}>
              <Tooltip title={off ? "Show this part" : "Hide this part; hidden parts are safe from the brush"}>
                <button
                  className="iconbtn small"
                  aria-label={`Show ${p.name}`}
                  aria-pressed={!off}
                  onClick={() => void hideParts(off ? hidden.filter((h) => h !== i) : [...hidden, i])}
                >
                  <Icon name={off ? "closed" : "eye"} size={16} />
                </button>
              </Tooltip>
              {p.name}
              <span className="count">{p.faces.toLocaleString()}</span>
              <Tooltip title="Show only this part">
                <PushButton aria-label={`Isolate ${p.name}`} onClick={() => void hideParts(all.filter((x) => x !== i))}>
                  Isolate
                </PushButton>
              </Tooltip>
            </div>
          );
        })}
      </div>
    </>
  );
}
