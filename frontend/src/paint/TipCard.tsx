import { Tooltip } from "@mui/material";
import { useRef, useState } from "react";
import { api } from "../api/client";
import type { Brush, Tip } from "../api/types";
import { refresh } from "../state/following";
import { setBrush, takeBrush } from "../state/hand";
import { useDocument, useWorkshop } from "../state/hooks";
import { say } from "../state/messages";
import { workshop } from "../state/workshop";
import { Dropdown } from "../ui/Dropdown";
import { FileInput } from "../ui/FileInput";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { NamedSlider } from "../ui/sliders";
import { Expander } from "./Expander";
import { ChoiceRow } from "../ui/ChoiceRow";
import { accepted } from "../state/registries";

const FLIPS: [Brush["flip"], string, string][] = [
  ["none", "Never", "The tip stays as it is"],
  ["alternate", "Alternate", "Every other dab is flipped"],
  ["random", "Random", "Dabs are flipped at random"],
];
const BUILDS: [Brush["build"], string, string][] = [
  ["flow", "To strength", "Dabs build up to the strength and no further"],
  ["past", "Beyond", "Dabs go on building up, past the strength"],
  ["level", "Level", "Dabs that overlap do not add up: the tip's own profile stays"],
];
const MIXES: [Brush["mix"]["mode"], string, string][] = [
  ["none", "None", "Only the first colour"],
  ["along", "Along", "From the first colour to the second and back, along the stroke"],
  ["across", "Across", "The first colour on one side of the stroke, the second on the other"],
  ["random", "Dabs", "Each dab takes its own share of the two"],
];

/** The shape of a dab: pictures, grain, how dabs add up and how two colours meet. */
export function TipCard() {
  const tips = useWorkshop((s) => s.registries?.tips);
  const brush = useWorkshop((s) => s.brush);
  const [open, setOpen] = useState(false);
  const shown = brush.tips[0] ? nameOf(brush.tips[0], tips) : "Round";
  return (
    <section className="card" aria-label="Tip settings">
      <div className="chead">
        <h2>Tip</h2>
        <span className="right">
          {brush.tips.length > 1 ? `${brush.tips.length} pictures` : shown}
          <Expander open={open} name="tip settings" hint="Tip pictures, grain, build-up and mixing" onToggle={() => setOpen(!open)} />
        </span>
      </div>
      {open && <TipSettings brush={brush} tips={tips ?? []} />}
    </section>
  );
}

function nameOf(id: string, tips: Tip[] | undefined): string {
  return tips?.find((t) => t.id === id)?.name ?? "Own picture";
}

function TipSettings({ brush, tips }: { brush: Brush; tips: Tip[] }) {
  const grains = useWorkshop((s) => s.registries?.grains);
  const images = useDocument()?.images ?? [];
  const choose = (id: string | null, adds: boolean): void => {
    if (!id) return takeBrush({ tips: [] });
    const has = brush.tips.includes(id);
    takeBrush({ tips: adds ? (has ? brush.tips.filter((t) => t !== id) : [...brush.tips, id]) : [id] });
  };
  return (
    <>
      <div className="tips" role="group" aria-label="Tip pictures">
        <Tooltip title="A round tip, soft or hard by its hardness">
          <button aria-pressed={!brush.tips.length} aria-label="Round" onClick={() => choose(null, false)}>
            <svg viewBox="0 0 32 32" aria-hidden="true">
              <circle cx="16" cy="16" r="12" fill="#fff" />
            </svg>
          </button>
        </Tooltip>
        {tips.map((t) => (
          <Tooltip key={t.id} title={`${t.name}. ${t.hint}. Shift adds it to a set`}>
            <button aria-pressed={brush.tips.includes(t.id)} aria-label={t.name} onClick={(e) => choose(t.id, e.shiftKey)}>
              <img src={t.picture} alt="" />
            </button>
          </Tooltip>
        ))}
        {images.map((i) => (
          <Tooltip key={i.key} title={`${i.name}, from this project. Shift adds it to a set`}>
            <button aria-pressed={brush.tips.includes(`image:${i.key}`)} aria-label={i.name} onClick={(e) => choose(`image:${i.key}`, e.shiftKey)}>
              {i.name.slice(0, 4)}
            </button>
          </Tooltip>
        ))}
        <ImportTip onDone={(key) => choose(`image:${key}`, false)} />
      </div>
      <div className="prow">
        <span className="label">Angle</span>
        <Tooltip title="The tip's angle follows the stroke">
          <Toggle on={brush.follow} onToggle={() => setBrush({ follow: !brush.follow })}>
            Follows stroke
          </Toggle>
        </Tooltip>
      </div>
      <ChoiceRow label="Flip" options={FLIPS} value={brush.flip} onChange={(flip) => setBrush({ flip })} />
      <ChoiceRow label="Build-up" options={BUILDS} value={brush.build} onChange={(build) => setBrush({ build })} />
      <ChoiceRow label="Mixing" options={MIXES} value={brush.mix.mode} onChange={(mode) => setBrush({ mix: { ...brush.mix, mode } })} />
      {brush.mix.mode === "along" && (
        <NamedSlider
          label="Length"
          title="Diameters from one colour to the other"
          value={brush.mix.length}
          low={0.5}
          high={60}
          step={0.5}
          unit="number"
          log
          onChange={(length) => setBrush({ mix: { ...brush.mix, length } })}
        />
      )}
      <div className="prow">
        <span className="label">Grain</span>
        <Dropdown
          label="Grain"
          value={brush.grain.picture ?? ""}
          options={[{ id: "", name: "None" }, ...(grains ?? []), ...images.map((i) => ({ id: `image:${i.key}`, name: i.name }))]}
          onChoose={(id) => setBrush({ grain: { ...brush.grain, picture: id || null } })}
        />
        {brush.grain.picture && (
          <>
            <Tooltip title="The grain lies still on the surface, so that strokes meet in it">
              <Toggle on={brush.grain.fixed === "surface"} onToggle={() => setBrush({ grain: { ...brush.grain, fixed: "surface" } })}>
                Surface
              </Toggle>
            </Tooltip>
            <Tooltip title="The grain travels with the stroke">
              <Toggle on={brush.grain.fixed === "stroke"} onToggle={() => setBrush({ grain: { ...brush.grain, fixed: "stroke" } })}>
                Stroke
              </Toggle>
            </Tooltip>
          </>
        )}
      </div>
      {brush.grain.picture && (
        <>
          <NamedSlider
            label="Grain size"
            title="One repeat, as a share of the model's diagonal"
            value={brush.grain.size}
            low={0.003}
            high={0.5}
            step={0.001}
            unit="percent"
            log
            onChange={(size) => setBrush({ grain: { ...brush.grain, size } })}
          />
          <NamedSlider
            label="Grain depth"
            title="How much of the paint the grain can hold back"
            value={brush.grain.depth}
            low={0}
            high={1}
            step={0.01}
            unit="percent"
            onChange={(depth) => setBrush({ grain: { ...brush.grain, depth } })}
          />
        </>
      )}
    </>
  );
}

function ImportTip({ onDone }: { onDone: (key: string) => void }) {
  const input = useRef<HTMLInputElement>(null);
  const bring = async (file: File): Promise<void> => {
    const { uid } = workshop.getState();
    if (!uid) return;
    const form = new FormData();
    form.append("file", file);
    try {
      const key = await api.bringImage(uid, form);
      await refresh();
      onDone(key);
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  return (
    <>
      <Tooltip title="Import an image as a tip: its alpha counts, or its lightness">
        <button aria-label="Import tip" onClick={() => input.current?.click()}>
          <Icon name="plus" />
        </button>
      </Tooltip>
      <FileInput input={input} accept={accepted("pictures")} label="Tip picture" onFile={(file) => void bring(file)} />
    </>
  );
}
