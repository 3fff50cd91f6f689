import { Button, Checkbox, FormControlLabel, MenuItem, TextField, Tooltip } from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import { api } from "../api/client";
import type { ExportPreset, MapFormat, MapSpec, Sheet } from "../api/types";
import { toggled } from "../grid/LayerGrid";
import { runJob } from "../state/edits";
import { withOwnChannels } from "../state/exportMaps";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { say } from "../state/messages";
import { Check } from "../ui/Check";
import { Toggle } from "../ui/Toggle";
import { askedName } from "../ui/dialogs";

interface Written {
  name: string;
  folder: string;
  files: {
    name: string;
    sheet: string | null;
    map: string | null;
    width: number;
    height: number;
    bits: number;
    bytes: number;
    colour_space: string;
  }[];
}

/** Whether a sheet has the mesh maps that a map is made of. */
function isBaked(map: MapSpec, sheet: Sheet): boolean {
  return map.components.every((c) => !c.startsWith("map:") || sheet.mesh_maps.some((m) => m.id === c.slice(4).split(".")[0]));
}

function chosenFormat(value: string): Partial<ExportPreset> {
  const [format = "png", bits] = value.split(" ");
  return { format, bits: Number(bits) as ExportPreset["bits"] };
}

/** Choose a preset, look at every map, write the set, read the listing. */
export function ExportScreen() {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const document = useDocument();
  const registries = useWorkshop((s) => s.registries);
  const formats = registries?.map_formats ?? [];
  const client = useQueryClient();
  const { data: presets } = useQuery({ queryKey: ["presets"], queryFn: api.presets });
  const [picked, setChosen] = useState<string | null>(null);
  const [changed, setChanged] = useState<Partial<ExportPreset>>({});
  const [sheetsOff, setSheetsOff] = useState<ReadonlySet<string>>(new Set());
  const [mapsOff, setMapsOff] = useState<ReadonlySet<string>>(new Set());
  const [chosenVariants, setChosenVariants] = useState<ReadonlySet<string>>(new Set());
  const [written, setWritten] = useState<Written | null>(null);
  // What there is decides what is written first.
  const chosen = picked ?? (document && !textured(document).length ? "vertex-colours" : "separate-maps");
  const base = presets?.find((p) => p.id === chosen);
  if (!document || !base) return <main className="page" />;
  const preset: ExportPreset = { ...base, ...changed };
  const variants = document.variants ?? [];
  const vertices = document.sheets.find((s) => s.of === "vertices");
  const onVertices = preset.vertex_files.length > 0;
  const all = onVertices ? [] : textured(document);
  const sheets = all.filter((s) => !sheetsOff.has(s.id));
  const maps = withOwnChannels(preset, document.channels).filter((m) => all.some((s) => isBaked(m, s)));
  const kept = maps.filter((m) => !mapsOff.has(m.id));
  const count = sheets.reduce((sum, s) => sum + kept.filter((m) => isBaked(m, s)).length, 0);
  const set = (values: Partial<ExportPreset>): void => setChanged({ ...changed, ...values });
  const start = async (): Promise<void> => {
    const job = await runJob(() =>
      api.exportMaps(
        uid,
        preset,
        sheetsOff.size ? sheets.map((s) => s.id) : null,
        mapsOff.size ? kept.map((m) => m.id) : null,
        chosenVariants.size ? ["", ...variants.map((v) => v.id)].filter((id) => chosenVariants.has(id)).map((id) => id || null) : null,
      ),
    );
    if (job?.state === "done") {
      setWritten(job.result as unknown as Written);
      say(`${(job.result.files as unknown[]).length} files written.`);
    }
  };
  const saveOwn = async (): Promise<void> => {
    const name = await askedName("Save as own preset", "Name", `${preset.name} (own)`, "Save preset");
    if (!name) return;
    const id =
      name
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, "-")
        .replace(/^-+|-+$/g, "")
        .slice(0, 40) || "own";
    try {
      await api.savePreset({ ...preset, id, name, note: "", maps: kept.length ? kept : preset.maps });
      await client.invalidateQueries({ queryKey: ["presets"] });
      setChosen(id);
      setChanged({});
      setMapsOff(new Set());
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  const shown = variants.find((v) => v.id === document.showing);
  const own = !registries?.built_in_presets.includes(preset.id);
  return (
    <main className="two opaque">
      <div className="panel stack">
        <TextField
          select
          label="Preset"
          value={chosen}
          onChange={(e) => {
            setChosen(e.target.value);
            setChanged({});
            setMapsOff(new Set());
          }}
        >
          {presets?.map((p) => (
            <MenuItem key={p.id} value={p.id}>
              {p.name}
            </MenuItem>
          ))}
        </TextField>
        <span className="note">{preset.note}</span>
        {onVertices && <VertexFormats preset={preset} formats={registries?.vertex_formats ?? []} onChange={set} />}
        {!onVertices && <MapSettings preset={preset} formats={formats} onChange={set} />}
        <TextField
          label="File names"
          value={preset.template}
          onChange={(e) => set({ template: e.target.value })}
          helperText={`Takes {project}, {sheet}, {map}, {tile}${variants.length ? " and {variant}" : ""}`}
        />
        {variants.length > 0 && (
          <div role="group" aria-label="Variants to write">
            <h2 className="between">Variants</h2>
            {[{ id: "", name: "Base" }, ...variants].map((v) => (
              <div key={v.id}>
                <FormControlLabel
                  control={
                    <Checkbox size="small" checked={chosenVariants.has(v.id)} onChange={() => setChosenVariants(toggled(chosenVariants, v.id))} />
                  }
                  label={v.name}
                />
              </div>
            ))}
            <span className="note">
              {chosenVariants.size
                ? "Maps that are the same in several are written once."
                : `None chosen: what shows (${shown?.name ?? "Base"}) is written.`}
            </span>
          </div>
        )}
        {!onVertices && (
          <>
            <FormControlLabel
              control={<Checkbox size="small" checked={preset.glb} onChange={(e) => set({ glb: e.target.checked })} />}
              label="Also a GLB with the maps wired in"
            />
            <div>
              <h2 className="between">Sheets</h2>
              {all.map((s) => (
                <div key={s.id}>
                  <FormControlLabel
                    control={<Checkbox size="small" checked={!sheetsOff.has(s.id)} onChange={() => setSheetsOff(toggled(sheetsOff, s.id))} />}
                    label={`${s.name} · ${s.resolution}`}
                  />
                </div>
              ))}
              {!all.length && <p className="note">No sheet: the model has no UVs. Vertex colours can be written.</p>}
            </div>
            <Button variant="contained" disabled={!count} onClick={() => void start()}>
              {count ? `Write ${count} maps` : maps.length || !all.length ? "Choose a map and a sheet" : "Nothing is baked yet"}
            </Button>
          </>
        )}
        {onVertices && (
          <Button variant="contained" disabled={!vertices} onClick={() => void start()}>
            {vertices ? `Write ${preset.vertex_files.length === 1 ? "one file" : `${preset.vertex_files.length} files`}` : "No vertex paint here"}
          </Button>
        )}
        <div className="row">
          <Button onClick={() => void saveOwn()}>Save as own preset</Button>
          {own && (
            <Button
              onClick={() =>
                void api.deletePreset(preset.id).then(async () => {
                  setChosen(null);
                  await client.invalidateQueries({ queryKey: ["presets"] });
                })
              }
            >
              Delete preset
            </Button>
          )}
        </div>
      </div>
      <div className="content-area">
        {written && <Listing uid={uid} written={written} />}
        {onVertices && (
          <p className="note">
            {vertices
              ? "The mesh goes out with its base colour and opacity as vertex colours; roughness, metallic and each other channel that is used are numbers of every vertex, where the format has a place for them."
              : "Nothing is painted on vertices here. Add vertex paint on the Model screen."}
          </p>
        )}
        {sheets.map((s) => (
          <section key={s.id} aria-label={`Maps of ${s.name}`}>
            <h2 className="plain between">{s.name}</h2>
            <div className="maps">
              {maps.map((m) => (
                <div className="map" key={m.id}>
                  <MapPicture uid={uid} preset={preset} sheet={s.id} map={m.id} name={`${m.name} of ${s.name}`} />
                  <label>
                    <Check checked={!mapsOff.has(m.id)} onChange={() => setMapsOff(toggled(mapsOff, m.id))} />
                    {m.name}
                  </label>
                </div>
              ))}
            </div>
          </section>
        ))}
      </div>
    </main>
  );
}

interface SettingsOf {
  preset: ExportPreset;
  formats: MapFormat[];
  onChange: (values: Partial<ExportPreset>) => void;
}

/** What pictures of maps are: their size, format, padding and normal direction. */
function MapSettings({ preset, formats, onChange }: SettingsOf) {
  const resolutions = useWorkshop((s) => s.registries?.resolutions) ?? [];
  return (
    <>
      <TextField select label="Size" value={preset.size} onChange={(e) => onChange({ size: Number(e.target.value) as ExportPreset["size"] })}>
        {[0, ...resolutions].map((s) => (
          <MenuItem key={s} value={s}>
            {s ? `${s} × ${s}` : "As each sheet"}
          </MenuItem>
        ))}
      </TextField>
      <TextField select label="Format" value={`${preset.format} ${preset.bits}`} onChange={(e) => onChange(chosenFormat(e.target.value))}>
        {formats.flatMap((f) =>
          f.bits.map((bits) => (
            <MenuItem key={`${f.id} ${bits}`} value={`${f.id} ${bits}`}>
              {f.name}, {bits} bits a component
            </MenuItem>
          )),
        )}
      </TextField>
      <TextField
        label="Padding, pixels"
        type="number"
        disabled={preset.fill}
        value={preset.padding}
        onChange={(e) => onChange({ padding: Math.min(256, Math.max(0, Math.round(Number(e.target.value)))) })}
        slotProps={{ htmlInput: { min: 0, max: 256 } }}
      />
      <Tooltip title="Every pixel around the islands repeats its nearest island">
        <Toggle on={preset.fill} onToggle={() => onChange({ fill: !preset.fill })} sx={{ alignSelf: "start" }}>
          Fill everything
        </Toggle>
      </Tooltip>
      <TextField
        label="Height strength"
        type="number"
        value={preset.height_strength}
        onChange={(e) => onChange({ height_strength: Math.min(8, Math.max(0, Number(e.target.value))) })}
        helperText="Times the relief, in the normal and the height map"
        slotProps={{ htmlInput: { min: 0, max: 8, step: 0.1 } }}
      />
      <TextField select label="Normal map's Y" value={preset.normal_y} onChange={(e) => onChange({ normal_y: e.target.value as "up" | "down" })}>
        <MenuItem value="up">Up</MenuItem>
        <MenuItem value="down">Down</MenuItem>
      </TextField>
    </>
  );
}

/** The files that vertex paint goes out in. */
function VertexFormats({ preset, formats, onChange }: SettingsOf) {
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
                  onChange={() => onChange({ vertex_files: formats.map((x) => x.id).filter((id) => chosen.has(id) !== (id === f.id)) })}
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
          onChange={(e) => onChange({ bits: Number(e.target.value) as ExportPreset["bits"] })}
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
  const { maps, padding, fill, normal_y } = preset;
  useEffect(() => {
    let made: string | null = null;
    let gone = false;
    // The name template may be half typed; it does not matter to the picture.
    const asked = { ...preset, maps, padding, fill, normal_y, template: "{map}" };
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
  }, [uid, sheet, map, revision, padding, fill, normal_y, maps]);
  return url ? <img src={url} alt={name} /> : <div className="blank" />;
}

function Listing({ uid, written }: { uid: string; written: Written }) {
  const total = written.files.reduce((n, f) => n + f.bytes, 0);
  return (
    <section className="card below" aria-label="Listing">
      <div className="chead">
        <h2>Written</h2>
        <span className="right">
          {written.files.length} files, {(total / 1e6).toFixed(1)} MB
          <Button variant="outlined" href={`/api/projects/${uid}/exports/${written.name}.zip`} download>
            Download as zip
          </Button>
        </span>
      </div>
      <p className="note">In {written.folder}, with listing.json beside them.</p>
      <table className="files">
        <thead>
          <tr>
            <th>File</th>
            <th>Size</th>
            <th>Bits</th>
            <th>Colour space</th>
            <th>Bytes</th>
          </tr>
        </thead>
        <tbody>
          {written.files.map((f) => (
            <tr key={f.name}>
              <td>{f.name}</td>
              <td>{f.width ? `${f.width} × ${f.height}` : "–"}</td>
              <td>{f.bits || "–"}</td>
              <td>{f.colour_space}</td>
              <td>{f.bytes.toLocaleString()}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
