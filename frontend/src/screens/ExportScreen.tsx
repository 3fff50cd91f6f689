import { Button, Checkbox, FormControlLabel, MenuItem, TextField, Tooltip } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { useStore } from "zustand";
import { api } from "../api/client";
import type { ExportPreset, Sheet } from "../api/types";
import { AgainCard, Listing } from "../export/Listing";
import { MapTable, megabytes } from "../export/MapTable";
import { PresetSettings } from "../export/PresetSettings";
import { toggled } from "../grid/LayerGrid";
import {
  askPlan,
  changePreset,
  choosePreset,
  deletePreset,
  exporting,
  importPreset,
  isBaked,
  isOn,
  loadLast,
  loadPresets,
  presetNow,
  savePreset,
  write,
} from "../state/exporting";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { checkNow } from "../state/reviewing";
import { FileInput } from "../ui/FileInput";
import { askedName } from "../ui/dialogs";

async function checkedWrite(): Promise<void> {
  exporting.setState({ warnings: exporting.getState().checkFirst ? await checkNow() : null });
  await write();
}

/** Milliseconds of quiet after the last change until what the export comes to is asked for. */
const QUIET = 400;

/** Choose a preset, say what fills each map, look at every one, write the set, read the listing. */
export function ExportScreen() {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const document = useDocument();
  const revision = useWorkshop((s) => s.project?.revision);
  const state = useStore(exporting);
  const { changed, chosen, presets, sheetsOff } = state;
  useEffect(() => {
    void loadPresets();
    void loadLast();
  }, [uid]);
  useEffect(() => {
    const timer = window.setTimeout(() => void askPlan(), QUIET);
    return () => window.clearTimeout(timer);
  }, [uid, revision, changed, chosen, presets, sheetsOff]);
  const preset = presetNow(state);
  if (!document || !preset) return <main className="page" />;
  const variants = document.variants ?? [];
  const vertices = document.sheets.find((s) => s.of === "vertices");
  const onVertices = preset.vertex_files.length > 0;
  const all = onVertices ? [] : textured(document);
  const sheets = all.filter((s) => !sheetsOff.has(s.id));
  const maps = preset.maps.filter((m) => all.some((s) => isBaked(m, s)));
  const on = maps.filter((m) => isOn(m, sheets, state));
  const count = sheets.reduce((sum, s) => sum + on.filter((m) => isBaked(m, s)).length, 0);
  const mine = state.plan?.files.filter((f) => on.some((m) => m.id === f.map)) ?? [];
  const bytes = mine.reduce((n, f) => n + f.bytes, 0);
  const seconds = mine.reduce((n, f) => n + f.seconds, 0);
  return (
    <main className="two opaque">
      <div className="panel stack">
        <Presets preset={preset} />
        {onVertices ? <VertexFormats preset={preset} /> : <PresetSettings preset={preset} variants={variants.length > 0} />}
        {onVertices && (
          <TextField
            label="File names"
            value={preset.template}
            onChange={(e) => changePreset({ template: e.target.value })}
            helperText="Takes {project}, {sheet}, {map} and {variant}"
          />
        )}
        {variants.length > 0 && <Variants />}
        {!onVertices && (
          <>
            <Sheets preset={preset} all={all} />
            <div className="panel-foot">
              {state.trouble && (
                <p className="note bad-text" role="alert">
                  {state.trouble}
                </p>
              )}
              <FormControlLabel
                control={<Checkbox size="small" checked={state.checkFirst} onChange={(e) => exporting.setState({ checkFirst: e.target.checked })} />}
                label="Check before writing"
              />
              <Button variant="contained" disabled={!count} onClick={() => void checkedWrite()}>
                {count ? `Write ${count} maps` : maps.length || !all.length ? "Choose a map and a sheet" : "Nothing is baked yet"}
              </Button>
              {count > 0 && bytes > 0 && (
                <span className="note" aria-live="polite">
                  About {megabytes(bytes)}, {seconds < 1.5 ? "a moment" : `${Math.round(seconds)} seconds`}
                </span>
              )}
            </div>
          </>
        )}
        {onVertices && (
          <Button variant="contained" disabled={!vertices} onClick={() => void write()}>
            {vertices ? `Write ${preset.vertex_files.length === 1 ? "one file" : `${preset.vertex_files.length} files`}` : "No vertex paint here"}
          </Button>
        )}
      </div>
      <div className="content-area">
        <AgainCard />
        {state.warnings !== null && state.warnings > 0 && (
          <p className="note warned" role="status">
            The check found {state.warnings === 1 ? "one thing" : `${state.warnings} things`} that a receiver would stumble over.{" "}
            <a href={`#/${uid}/check`}>See what and where</a>
          </p>
        )}
        {state.written && <Listing uid={uid} written={state.written} />}
        {onVertices && (
          <p className="note">
            {vertices
              ? "The mesh goes out with its base colour and opacity as vertex colours; roughness, metallic and each other channel that is used are numbers of every vertex, where the format has a place for them."
              : "Nothing is painted on vertices here. Add vertex paint on the Model screen."}
          </p>
        )}
        {!onVertices && all.length > 0 && <MapTable preset={preset} sheets={sheets.length ? sheets : all} />}
        {sheets.map((s) => (
          <section key={s.id} aria-label={`Maps of ${s.name}`}>
            <h2 className="plain between">{s.name}</h2>
            <div className="maps">
              {on
                .filter((m) => isBaked(m, s))
                .map((m) => (
                  <div className="map" key={m.id}>
                    <MapPicture uid={uid} preset={preset} sheet={s.id} map={m.id} name={`${m.name} of ${s.name}`} />
                    <span className="map-title">{m.name}</span>
                  </div>
                ))}
            </div>
          </section>
        ))}
      </div>
    </main>
  );
}

/** Which preset, and what is done with presets. */
function Presets({ preset }: { preset: ExportPreset }) {
  const presets = useStore(exporting, (s) => s.presets);
  const builtIn = useWorkshop((s) => s.registries?.built_in_presets) ?? [];
  const file = useRef<HTMLInputElement>(null);
  const save = async (): Promise<void> => {
    const name = await askedName("Save as own preset", "Name", `${preset.name} (own)`, "Save preset");
    if (name) await savePreset(name);
  };
  return (
    <>
      <TextField select label="Preset" value={preset.id} onChange={(e) => choosePreset(e.target.value)}>
        {presets.map((p) => (
          <MenuItem key={p.id} value={p.id}>
            {p.name}
          </MenuItem>
        ))}
      </TextField>
      <span className="note">{preset.note}</span>
      <div className="prow">
        <Tooltip title="Keep it as it stands, under a name, for all projects">
          <Button onClick={() => void save()}>Save as own…</Button>
        </Tooltip>
        <Tooltip title="A preset that was written to a file">
          <Button onClick={() => file.current?.click()}>From a file…</Button>
        </Tooltip>
        <FileInput input={file} accept="application/json,.json" label="Preset file" onFile={(chosen) => void importPreset(chosen)} />
        <Tooltip title="Write the preset to a file, to give it to someone">
          <Button
            component="a"
            download={`${preset.id}.json`}
            href={`data:application/json;charset=utf-8,${encodeURIComponent(JSON.stringify(preset, null, 2))}`}
          >
            To a file
          </Button>
        </Tooltip>
        {!builtIn.includes(preset.id) && <Button onClick={() => void deletePreset(preset.id)}>Delete preset</Button>}
      </div>
    </>
  );
}

function Variants() {
  const document = useDocument();
  const chosen = useStore(exporting, (s) => s.variants);
  const variants = document?.variants ?? [];
  const shown = variants.find((v) => v.id === document?.showing);
  return (
    <div role="group" aria-label="Variants to write">
      <h2 className="between">Variants</h2>
      {[{ id: "", name: "Base" }, ...variants].map((v) => (
        <div key={v.id}>
          <FormControlLabel
            control={<Checkbox size="small" checked={chosen.has(v.id)} onChange={() => exporting.setState({ variants: toggled(chosen, v.id) })} />}
            label={v.name}
          />
        </div>
      ))}
      <span className="note">
        {chosen.size ? "Maps that are the same in several are written once." : `None chosen: what shows (${shown?.name ?? "Base"}) is written.`}
      </span>
    </div>
  );
}

/** Which sheets are written, and at which size each where it is not the preset's. */
function Sheets({ preset, all }: { preset: ExportPreset; all: readonly Sheet[] }) {
  const off = useStore(exporting, (s) => s.sheetsOff);
  const sizes = useWorkshop((s) => s.registries?.resolutions) ?? [];
  const put = (sheet: string, size: ExportPreset["size"] | null): void => {
    const own = { ...preset.overrides?.[sheet], size } as NonNullable<ExportPreset["overrides"]>[string];
    changePreset({ overrides: { ...preset.overrides, [sheet]: own } });
  };
  return (
    <div role="group" aria-label="Sheets">
      <h2 className="between">Sheets</h2>
      {all.map((s) => (
        <div key={s.id} className="sheet-row">
          <FormControlLabel
            control={<Checkbox size="small" checked={!off.has(s.id)} onChange={() => exporting.setState({ sheetsOff: toggled(off, s.id) })} />}
            label={`${s.name} · ${s.resolution}`}
          />
          <TextField
            select
            value={preset.overrides?.[s.id]?.size ?? -1}
            onChange={(e) => put(s.id, Number(e.target.value) < 0 ? null : (Number(e.target.value) as ExportPreset["size"]))}
            slotProps={{ htmlInput: { "aria-label": `Size of ${s.name}` } }}
            sx={{ width: 108 }}
          >
            <MenuItem value={-1}>Preset’s size</MenuItem>
            {sizes.map((size) => (
              <MenuItem key={size} value={size}>
                {size}
              </MenuItem>
            ))}
          </TextField>
        </div>
      ))}
      {!all.length && <p className="note">No sheet: the model has no UVs. Vertex colours can be written.</p>}
    </div>
  );
}

/** The files that vertex paint goes out in. */
function VertexFormats({ preset }: { preset: ExportPreset }) {
  const formats = useWorkshop((s) => s.registries?.vertex_formats) ?? [];
  const chosen = new Set(preset.vertex_files);
  return (
    <>
      <div role="group" aria-label="Formats">
        {formats.map((f) => (
          <div key={f.id}>
            <FormControlLabel
              control={
                <Checkbox
                  size="small"
                  checked={chosen.has(f.id)}
                  // The last one stays, or the preset would write nothing.
                  disabled={chosen.size === 1 && chosen.has(f.id)}
                  onChange={() => changePreset({ vertex_files: formats.map((x) => x.id).filter((id) => chosen.has(id) !== (id === f.id)) })}
                />
              }
              label={f.name}
            />
          </div>
        ))}
      </div>
      {formats.some((f) => f.bits.length > 1 && chosen.has(f.id)) && (
        <TextField
          select
          label="Bits a component"
          value={preset.bits}
          onChange={(e) => changePreset({ bits: Number(e.target.value) as ExportPreset["bits"] })}
        >
          <MenuItem value={8}>8, as most programs read them</MenuItem>
          <MenuItem value={16}>16</MenuItem>
        </TextField>
      )}
    </>
  );
}

function MapPicture({ uid, preset, sheet, map, name }: { uid: string; preset: ExportPreset; sheet: string; map: string; name: string }) {
  const revision = useWorkshop((s) => s.project?.revision);
  const [url, setUrl] = useState<string | null>(null);
  const { maps, padding, around, normal_y } = preset;
  useEffect(() => {
    let made: string | null = null;
    let gone = false;
    // The name template may be half typed; it does not matter to the picture.
    const asked = { ...preset, maps, padding, around, normal_y, template: "{map}" };
    api.preview(uid, asked, sheet, map).then(
      (found) => {
        made = found;
        if (gone) URL.revokeObjectURL(found);
        else setUrl(found);
      },
      () => setUrl(null),
    );
    return () => {
      gone = true;
      if (made) URL.revokeObjectURL(made);
    };
    // eslint-disable-next-line react-hooks/exhaustive-deps -- other fields of the preset do not change the picture
  }, [uid, sheet, map, revision, padding, around, normal_y, maps]);
  return url ? <img src={url} alt={name} /> : <div className="blank" />;
}
