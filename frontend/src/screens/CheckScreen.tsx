import { Button, MenuItem, TextField, Tooltip } from "@mui/material";
import { useEffect } from "react";
import { useStore } from "zustand";
import type { ExportPreset, MapFinding } from "../api/types";
import { changePreset, choosePreset, exporting, loadPresets, presetNow } from "../state/exporting";
import { useDocument, useWorkshop } from "../state/hooks";
import { textured } from "../state/layers";
import { checkNow, loadChecks, lookAtFinding, mend, reviewing, type Seeing } from "../state/reviewing";
import { workshop } from "../state/workshop";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { SideBySide } from "../viewport/SideBySide";

const SEEN = [
  { id: "", name: "As it is" },
  { id: "grey", name: "Greyscale" },
  { id: "protan", name: "Without red cones" },
  { id: "deutan", name: "Without green cones" },
  { id: "tritan", name: "Without blue cones" },
];

/** What a receiver would stumble over: found in the maps as a preset writes them, shown where it is, put right where that is safe. */
export function CheckScreen() {
  const state = useStore(exporting);
  const { findings, revision, seeing } = useStore(reviewing);
  const now = useWorkshop((s) => s.project?.revision);
  useEffect(() => {
    void loadPresets();
    void loadChecks();
    return () => {
      workshop.setState({ highlight: null });
      reviewing.setState({ chosen: null, seeing: "" });
    };
  }, []);
  const document = useDocument();
  const preset = presetNow(state);
  const warnings = findings?.filter((f) => f.level === "warns").length ?? 0;
  return (
    <main className="two">
      <div className="panel stack">
        {!textured(document).length && <p className="note">Checks look at maps, and nothing here has a UV layout. Unwrap the model to have maps.</p>}
        {preset && preset.maps.length > 0 && (
          <TextField select label="As the preset writes it" value={preset.id} onChange={(e) => choosePreset(e.target.value)} sx={{ marginTop: 1 }}>
            {state.presets
              .filter((p) => p.maps.length)
              .map((p) => (
                <MenuItem key={p.id} value={p.id}>
                  {p.name}
                </MenuItem>
              ))}
          </TextField>
        )}
        {preset && preset.maps.length > 0 && <Thresholds preset={preset} />}
        <Tooltip title="Look through every sheet that is written">
          <Button variant="contained" disabled={!preset?.maps.length} onClick={() => void checkNow()}>
            Check
          </Button>
        </Tooltip>
        <div className="prow">
          <span className="label">Views</span>
          <Dropdown label="How the views are seen" value={seeing} options={SEEN} onChoose={(id) => reviewing.setState({ seeing: id as Seeing })} />
        </div>
        <section aria-label="Findings" aria-live="polite">
          {!findings && <WhatIsChecked />}
          {findings && (
            <h2>
              {findings.length
                ? `${warnings} ${warnings === 1 ? "warning" : "warnings"}, ${findings.length - warnings} to know`
                : "Nothing that a receiver would stumble over"}
            </h2>
          )}
          {findings && revision !== now && <p className="note">The project has changed since. Check again.</p>}
          {findings?.map((f, i) => (
            <Found key={`${f.check} ${f.sheet} ${f.map} ${f.title}`} found={f} index={i} />
          ))}
        </section>
      </div>
      <SideBySide share="56%" paintable={false} />
    </main>
  );
}

function WhatIsChecked() {
  const checks = useStore(reviewing, (s) => s.checks);
  return (
    <>
      <h2>What is checked</h2>
      <ul className="checked-for">
        {checks.map((c) => (
          <li key={c.id}>
            {c.name}
            <div className="note">{c.hint}</div>
          </li>
        ))}
      </ul>
    </>
  );
}

function Found({ found, index }: { found: MapFinding; index: number }) {
  const chosen = useStore(reviewing, (s) => s.chosen === index);
  return (
    <div className="found-card" role="group" aria-label={found.title}>
      <button className={`finding ${found.level}`} aria-pressed={chosen} onClick={() => lookAtFinding(index)}>
        <b>{found.title}</b>
        <div className="note">
          {found.sheet_name}. {found.why}
        </div>
      </button>
      {found.mend && (
        <Tooltip title="Safe: undo takes it back, or it is a setting of the preset">
          <PushButton onClick={() => void mend(found)}>{found.mend.label}</PushButton>
        </Tooltip>
      )}
    </div>
  );
}

const within = (text: string, high: number): number => Math.min(high, Math.max(0, Math.round(Number(text) || 0)));

/** Limits that belong to the preset. */
function Thresholds({ preset }: { preset: ExportPreset }) {
  const number = (key: "mips" | "dark" | "bright" | "metal_dark", label: string, high: number, hint: string) => (
    <Tooltip title={hint}>
      <TextField
        label={label}
        type="number"
        value={preset[key]}
        onChange={(e) => changePreset({ [key]: within(e.target.value, high) })}
        slotProps={{ htmlInput: { min: 0, max: high } }}
      />
    </Tooltip>
  );
  return (
    <div className="thresholds" role="group" aria-label="Limits">
      {number("mips", "Smaller copies", 12, "How many smaller copies of each map the receiver makes, each half the one before")}
      {number("dark", "Darkest", 255, "Of base colours that are no metal, sRGB 0–255")}
      {number("bright", "Brightest", 255, "Of base colours that are no metal, sRGB 0–255")}
      {number("metal_dark", "Metal from", 255, "Darkest base colour of metals, sRGB 0–255")}
    </div>
  );
}
