import { Button, MenuItem, TextField, Tooltip } from "@mui/material";
import { useState } from "react";
import type { UnwrapSettings } from "../api/types";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { packIslands, unwrap } from "../state/layout";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";

const USUAL: UnwrapSettings = { padding: 4, hard_edges: false, seams: true, fewer: 0.5, one_density: true, factors: {} };

/** How the model is cut into islands and laid out. */
export function UnwrapCard() {
  const sheets = textured(useDocument()).length;
  const seams = useDocument()?.seams.length ?? 0;
  const resolutions = useWorkshop((s) => s.registries?.resolutions) ?? [1024];
  const job = useWorkshop((s) => s.job);
  const [side, setSide] = useState(1024);
  const [settings, setSettings] = useState(USUAL);
  const set = (change: Partial<UnwrapSettings>): void => setSettings({ ...settings, ...change });
  return (
    <>
      {!sheets && <p className="note">The model has no UVs yet: its vertices can be painted, and a sheet comes with unwrapping it, now or later.</p>}
      <NamedSlider
        label="Fewer islands"
        title="Left: many islands without stretch; right: as few as bear it"
        value={settings.fewer}
        low={0}
        high={1}
        step={0.05}
        unit="percent"
        onChange={(fewer) => set({ fewer })}
      />
      <NamedSlider
        label="Padding"
        title="Least distance of islands from each other and from the border, in texels"
        value={settings.padding}
        low={0}
        high={32}
        step={1}
        unit="count"
        onChange={(padding) => set({ padding })}
      />
      <div className="prow">
        <Tooltip title="Cut every edge sharper than the crease angle">
          <Toggle on={settings.hard_edges} onToggle={() => set({ hard_edges: !settings.hard_edges })}>
            Cut hard edges
          </Toggle>
        </Tooltip>
        <Tooltip title={seams ? "Cut the edges marked below as seams" : "No edge is marked as a seam yet; mark some below"}>
          <span>
            <Toggle on={settings.seams && seams > 0} onToggle={() => set({ seams: !settings.seams })} disabled={!seams}>
              Cut seams
            </Toggle>
          </span>
        </Tooltip>
        {sheets > 1 && (
          <Tooltip title="As many texels a unit of the model on every sheet; off: each sheet as full as it gets">
            <Toggle on={settings.one_density} onToggle={() => set({ one_density: !settings.one_density })}>
              One density
            </Toggle>
          </Tooltip>
        )}
      </div>
      <PartDensities factors={settings.factors} onChange={(factors) => set({ factors })} />
      <div className="prow apart">
        {!sheets && (
          <TextField select label="Resolution" value={side} onChange={(e) => setSide(Number(e.target.value))} sx={{ width: 130 }}>
            {resolutions.map((r) => (
              <MenuItem key={r} value={r}>
                {r} × {r}
              </MenuItem>
            ))}
          </TextField>
        )}
        <Tooltip title="Cut the model into islands and lay them out without overlap">
          <Button disabled={job !== null} variant={sheets ? "text" : "contained"} onClick={() => void unwrap(side, settings)}>
            {sheets ? "Unwrap anew" : "Unwrap the model"}
          </Button>
        </Tooltip>
        {sheets > 0 && (
          <Tooltip title="Lay the islands out again as they are, without overlap, as large as fits">
            <Button disabled={job !== null} onClick={() => void packIslands(settings.padding)}>
              Pack islands
            </Button>
          </Tooltip>
        )}
      </div>
    </>
  );
}

/** More or fewer texels for one part than for the others. */
function PartDensities({ factors, onChange }: { factors: UnwrapSettings["factors"]; onChange: (factors: UnwrapSettings["factors"]) => void }) {
  const parts = useWorkshop((s) => s.model?.parts) ?? [];
  const [part, setPart] = useState("");
  if (parts.length < 2) return null;
  const name = part || parts[0]?.name || "";
  return (
    <div className="prow apart" role="group" aria-label="Texel density of a part">
      <TextField select label="Part" value={name} onChange={(e) => setPart(e.target.value)} sx={{ width: 130 }}>
        {parts.map((p) => (
          <MenuItem key={p.name} value={p.name}>
            {p.name}
            {factors[p.name] ? ` × ${factors[p.name]}` : ""}
          </MenuItem>
        ))}
      </TextField>
      <TextField
        key={name}
        label="Density ×"
        title="Texels a unit of the model, times those of other parts"
        type="number"
        defaultValue={factors[name] ?? 1}
        onBlur={(e) => {
          const factor = Number(e.target.value);
          const others = Object.fromEntries(Object.entries(factors).filter(([part]) => part !== name));
          if (factor >= 0.05 && factor <= 20) onChange(factor === 1 ? others : { ...others, [name]: factor });
        }}
        slotProps={{ htmlInput: { min: 0.05, max: 20, step: 0.25 } }}
        sx={{ width: 90 }}
      />
    </div>
  );
}
