import { IconButton, TextField, Tooltip } from "@mui/material";
import { Fragment, useMemo } from "react";
import type { ExportPreset, MapFormat, MapSpec, Sheet } from "../api/types";
import { exporting, changePreset, isBaked, isOn, isSilent, switchMap } from "../state/exporting";
import { plainMap } from "../state/exportMaps";
import { useDocument, useWorkshop } from "../state/hooks";
import { useStore } from "zustand";
import { Check } from "../ui/Check";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { componentOptions, freeId, inverted, isInverted, plain, withCount } from "./components";

const LETTERS = { 1: ["Grey"], 3: ["R", "G", "B"], 4: ["R", "G", "B", "A"] } as const;
const COUNTS = [
  { id: "1", name: "Grey" },
  { id: "3", name: "RGB" },
  { id: "4", name: "RGBA" },
];
const SPACES = [
  { id: "", name: "Usual" },
  { id: "srgb", name: "sRGB" },
  { id: "linear", name: "Linear" },
  { id: "data", name: "Data" },
];

/** The maps of a preset as a table: what fills each component, and how each is written. */
export function MapTable({ preset, sheets }: { preset: ExportPreset; sheets: readonly Sheet[] }) {
  const document = useDocument();
  const formats = useWorkshop((s) => s.registries?.map_formats) ?? [];
  const kinds = useWorkshop((s) => s.registries?.bake.maps);
  const state = useStore(exporting);
  const options = useMemo(
    () =>
      componentOptions(
        document?.channels ?? [],
        (kinds ?? []).map((k) => ({ id: k.id, name: k.name, components: k.components })),
      ),
    [document?.channels, kinds],
  );
  const put = (id: string, values: Partial<MapSpec>): void => changePreset({ maps: preset.maps.map((m) => (m.id === id ? { ...m, ...values } : m)) });
  const add = (): void => {
    const id = freeId(
      "new map",
      preset.maps.map((m) => m.id),
    );
    const made = plainMap(id, "New map", ["roughness"]);
    changePreset({ maps: [...preset.maps, made] });
    switchMap(id, true);
  };
  return (
    <section aria-label="Maps of the preset">
      <table className="files map-table">
        <thead>
          <tr>
            <th>Map</th>
            <th>Components</th>
            <th>Format</th>
            <th>Colour</th>
            <th>Dither</th>
            <th>On disk</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {preset.maps.map((m) => {
            const baked = sheets.some((s) => isBaked(m, s));
            const silent = isSilent(m.id, sheets, state.plan);
            const on = isOn(m, sheets, state);
            const bytes = state.plan?.files.filter((f) => f.map === m.id).reduce((n, f) => n + f.bytes, 0);
            return (
              <tr key={m.id} className={on && baked ? "" : "off"} aria-label={m.name}>
                <td>
                  <span className="map-name">
                    <Check aria-label={`Write ${m.name}`} checked={on && baked} disabled={!baked} onChange={() => switchMap(m.id, !on)} />
                    <TextField
                      value={m.name}
                      onChange={(e) => put(m.id, { name: e.target.value.slice(0, 60) || m.name })}
                      slotProps={{ htmlInput: { "aria-label": `Name of ${m.name}` } }}
                      sx={{ width: 150, "& .MuiInputBase-input": { padding: "4px 8px" } }}
                    />
                  </span>
                  {!baked && <div className="note">not baked on these sheets</div>}
                  {silent && <div className="note">no layer says anything in it</div>}
                </td>
                <td>
                  <Components map={m} options={options} onChange={(components) => put(m.id, { components })} />
                </td>
                <td>
                  <Format preset={preset} map={m} formats={formats} onChange={(values) => put(m.id, values)} />
                </td>
                <td>
                  <Dropdown
                    label={`Colour space of ${m.name}`}
                    value={m.colour_space ?? ""}
                    options={SPACES}
                    onChoose={(id) => put(m.id, { colour_space: (id || null) as MapSpec["colour_space"] })}
                  />
                </td>
                <td>
                  <Tooltip title="Noise of one step before rounding to 8 bits: no bands in smooth gradients">
                    <span>
                      <Check aria-label={`Dither ${m.name}`} checked={m.dither} onChange={() => put(m.id, { dither: !m.dither })} />
                    </span>
                  </Tooltip>
                </td>
                <td className="number">{on && baked && bytes ? `≈ ${megabytes(bytes)}` : ""}</td>
                <td>
                  <Tooltip title="Take this map out of the preset">
                    <span>
                      <IconButton
                        size="small"
                        aria-label={`Delete ${m.name}`}
                        disabled={preset.maps.length === 1}
                        onClick={() => changePreset({ maps: preset.maps.filter((x) => x.id !== m.id) })}
                      >
                        ×
                      </IconButton>
                    </span>
                  </Tooltip>
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      <Tooltip title="Another map, made of any channels">
        <PushButton onClick={add}>Add a map</PushButton>
      </Tooltip>
    </section>
  );
}

export function megabytes(bytes: number): string {
  return bytes < 1e5 ? `${Math.max(1, Math.round(bytes / 1e3))} kB` : `${(bytes / 1e6).toFixed(1)} MB`;
}

interface ComponentsProps {
  map: MapSpec;
  options: ReturnType<typeof componentOptions>;
  onChange: (components: string[]) => void;
}

function Components({ map, options, onChange }: ComponentsProps) {
  const count = map.components.length as 1 | 3 | 4;
  return (
    <div className="map-components">
      <Dropdown
        label={`Components of ${map.name}`}
        value={String(count)}
        options={COUNTS}
        onChoose={(id) => onChange(withCount(map.components, Number(id) as 1 | 3 | 4))}
      />
      {map.components.map((c, i) => {
        const letter = LETTERS[count][i] ?? "";
        const put = (value: string): void => onChange(map.components.map((x, k) => (k === i ? value : x)));
        return (
          <Fragment key={`${letter} ${i}`}>
            <span className={`letter ${letter.toLowerCase()}`} aria-hidden>
              {count > 1 ? letter : ""}
            </span>
            <Dropdown
              label={`${letter} of ${map.name}`}
              value={plain(c)}
              options={options.some((o) => o.id === plain(c)) ? options : [...options, { id: plain(c), name: plain(c) }]}
              onChoose={(id) => put(isInverted(c) ? inverted(id) : id)}
            />
            <Tooltip title="One minus it, as gloss is of roughness">
              <Toggle on={isInverted(c)} onToggle={() => put(inverted(c))} aria-label={`1− ${letter} of ${map.name}`}>
                1−
              </Toggle>
            </Tooltip>
          </Fragment>
        );
      })}
    </div>
  );
}

interface FormatProps {
  preset: ExportPreset;
  map: MapSpec;
  formats: readonly MapFormat[];
  onChange: (values: Partial<MapSpec>) => void;
}

/** Format and depth of one map; "as the preset" follows it. */
function Format({ preset, map, formats, onChange }: FormatProps) {
  const usual = `${formats.find((f) => f.id === preset.format)?.name ?? preset.format} ${preset.bits}`;
  const value = map.format || map.bits ? `${map.format ?? preset.format} ${map.bits ?? preset.bits}` : "";
  return (
    <Dropdown
      label={`Format of ${map.name}`}
      value={value}
      options={[{ id: "", name: `As the preset (${usual})` }, ...formatOptions(formats)]}
      onChoose={(id) => {
        const [format, bits] = id.split(" ");
        onChange(id ? { format: format ?? null, bits: Number(bits) as MapSpec["bits"] } : { format: null, bits: null });
      }}
    />
  );
}

/** Formats with their depths. */
export function formatOptions(formats: readonly MapFormat[]): { id: string; name: string }[] {
  return formats.flatMap((f) =>
    f.bits.map((bits) => ({
      id: `${f.id} ${bits}`,
      name: f.floats.includes(bits) ? `${f.name}, ${bits === 16 ? "half" : "float"}` : `${f.name}, ${bits} bits`,
    })),
  );
}
