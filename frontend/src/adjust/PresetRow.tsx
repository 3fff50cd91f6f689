import { Tooltip } from "@mui/material";
import { useEffect } from "react";
import { useStore } from "zustand";
import type { AdjustLayer } from "../api/types";
import { adjusting, forgetPreset, keepPreset, loadPresets, takePreset } from "../state/adjusting";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { askedName } from "../ui/dialogs";

/** Presets of adjustments, for all projects. */
export function PresetRow({ layer }: { layer: AdjustLayer }) {
  const presets = useStore(adjusting, (s) => s.presets);
  useEffect(() => {
    if (!adjusting.getState().presets) void loadPresets();
  }, []);
  const all = presets ?? [];
  return (
    <div className="prow">
      <span className="label">Preset</span>
      <Dropdown
        label="Adjustment preset"
        value=""
        options={[
          { id: "", name: all.length ? "Choose…" : "None kept yet" },
          ...all.map((p) => ({ id: p.id, name: p.name })),
          ...all.map((p) => ({ id: `forget:${p.id}`, name: p.name, group: "Forget" })),
        ]}
        onChoose={(id) => {
          const preset = all.find((p) => p.id === id);
          if (preset) void takePreset(preset);
          if (id.startsWith("forget:")) void forgetPreset(id.slice(7));
        }}
        sx={{ maxWidth: 130 }}
      />
      <Tooltip title="Keep these settings under a name, for other layers, sheets and projects">
        <PushButton
          onClick={() =>
            void askedName("Keep the adjustment", "Name", layer.name, "Keep").then((name) => {
              if (name) void keepPreset(name);
            })
          }
        >
          Keep…
        </PushButton>
      </Tooltip>
    </div>
  );
}
