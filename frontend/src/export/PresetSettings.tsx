import { Checkbox, FormControlLabel, MenuItem, TextField, Tooltip } from "@mui/material";
import type { ExportPreset } from "../api/types";
import { changePreset } from "../state/exporting";
import { useWorkshop } from "../state/hooks";
import { toggled } from "../grid/LayerGrid";
import { formatOptions } from "./MapTable";

const AROUND = [
  ["pixels", "So many pixels"],
  ["everything", "Everything"],
  ["none", "Nothing"],
  ["clear", "Clear pixels"],
] as const;

const whole = (text: string, low: number, high: number): number => Math.min(high, Math.max(low, Math.round(Number(text) || 0)));

/** What pictures of maps are: their size, format, padding and normal direction. */
export function PresetSettings({ preset, variants }: { preset: ExportPreset; variants: boolean }) {
  const registries = useWorkshop((s) => s.registries);
  const formats = registries?.map_formats ?? [];
  const writers = [preset.format, ...preset.maps.map((m) => m.format)].map((id) => formats.find((f) => f.id === id));
  const floats = preset.maps.some((m) => formats.find((f) => f.id === (m.format ?? preset.format))?.floats.includes(m.bits ?? preset.bits));
  return (
    <>
      <TextField select label="Size" value={preset.size} onChange={(e) => changePreset({ size: Number(e.target.value) as ExportPreset["size"] })}>
        {[0, ...(registries?.resolutions ?? [])].map((s) => (
          <MenuItem key={s} value={s}>
            {s ? `${s} × ${s}` : "As each sheet"}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        select
        label="Format"
        value={`${preset.format} ${preset.bits}`}
        onChange={(e) => {
          const [format = "png", bits] = e.target.value.split(" ");
          changePreset({ format, bits: Number(bits) as ExportPreset["bits"] });
        }}
      >
        {formatOptions(formats).map((f) => (
          <MenuItem key={f.id} value={f.id}>
            {f.name}
          </MenuItem>
        ))}
      </TextField>
      {writers.some((w) => w?.lossy) && (
        <TextField
          label="Quality"
          type="number"
          value={preset.quality}
          onChange={(e) => changePreset({ quality: whole(e.target.value, 1, 100) })}
          helperText="1–100; WebP at 100 loses nothing"
          slotProps={{ htmlInput: { min: 1, max: 100 } }}
        />
      )}
      {preset.format === "exr" && (
        <TextField
          select
          label="OpenEXR files"
          value={preset.bundle}
          onChange={(e) => changePreset({ bundle: e.target.value as ExportPreset["bundle"] })}
        >
          <MenuItem value="files">One a map</MenuItem>
          <MenuItem value="layers">One a sheet, maps as layers</MenuItem>
          <MenuItem value="parts">One a sheet, maps as parts</MenuItem>
        </TextField>
      )}
      <div className="row">
        <TextField
          select
          label="Around islands"
          value={preset.around}
          onChange={(e) => changePreset({ around: e.target.value as ExportPreset["around"] })}
          sx={{ flex: 1 }}
        >
          {AROUND.map(([id, name]) => (
            <MenuItem key={id} value={id}>
              {name}
            </MenuItem>
          ))}
        </TextField>
        <TextField
          label="Padding, pixels"
          type="number"
          disabled={preset.around === "everything" || preset.around === "none"}
          value={preset.padding}
          onChange={(e) => changePreset({ padding: whole(e.target.value, 0, 256) })}
          slotProps={{ htmlInput: { min: 0, max: 256 } }}
          sx={{ width: 104 }}
        />
      </div>
      <TextField select label="Normal map's Y" value={preset.normal_y} onChange={(e) => changePreset({ normal_y: e.target.value as "up" | "down" })}>
        <MenuItem value="up">Up</MenuItem>
        <MenuItem value="down">Down</MenuItem>
      </TextField>
      <TextField
        label="Height strength"
        type="number"
        value={preset.height_strength}
        onChange={(e) => changePreset({ height_strength: Math.min(8, Math.max(0, Number(e.target.value))) })}
        helperText="Times the relief, in the normal and the height map"
        slotProps={{ htmlInput: { min: 0, max: 8, step: 0.1 } }}
      />
      {floats && (
        <Tooltip title="Signed, in the model’s own units; otherwise 0–1. The listing tells the range either way.">
          <FormControlLabel
            control={<Checkbox size="small" checked={preset.height_units} onChange={(e) => changePreset({ height_units: e.target.checked })} />}
            label="Heights in units"
          />
        </Tooltip>
      )}
      <TextField
        label="File names"
        value={preset.template}
        onChange={(e) => changePreset({ template: e.target.value })}
        helperText={`Takes {project}, {sheet}, {map}, {tile}${variants ? ", {size} and {variant}" : " and {size}"}`}
      />
      <Assets preset={preset} />
    </>
  );
}

function Assets({ preset }: { preset: ExportPreset }) {
  const formats = useWorkshop((s) => s.registries?.asset_formats) ?? [];
  const chosen = new Set(preset.assets);
  return (
    <div role="group" aria-label="Whole assets">
      <h2 className="between">Whole asset, maps wired in</h2>
      {formats.map((f) => (
        <div key={f.id}>
          <FormControlLabel
            control={
              <Checkbox
                size="small"
                checked={chosen.has(f.id)}
                onChange={() => changePreset({ assets: formats.map((x) => x.id).filter((id) => toggled(chosen, f.id).has(id)) })}
              />
            }
            label={f.name}
          />
        </div>
      ))}
      {["glb", "gltf"].some((id) => chosen.has(id)) && (
        <FormControlLabel
          control={<Checkbox size="small" checked={preset.tangents} onChange={(e) => changePreset({ tangents: e.target.checked })} />}
          label="glTF has tangents"
        />
      )}
    </div>
  );
}
