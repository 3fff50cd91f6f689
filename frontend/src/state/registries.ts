/** What the server has of each kind, read once. */
import { api } from "../api/client";
import { attempt } from "./attempt";
import { workshop } from "./workshop";
import type { SmearSettings, Tone } from "./workshop";

const { getState: get, setState: set } = workshop;

export async function loadRegistries(): Promise<void> {
  if (get().registries) return;
  await attempt(async () => {
    const registries = await api.registries();
    // Brush and tools begin as the server's do, so that scripts, core and hand agree.
    const { reach, tone, smear } = registries.paint;
    set({
      registries,
      toolSettings: registries.tool_settings,
      brush: registries.brush,
      softenReach: reach,
      tone: tone as Tone,
      smear: smear as SmearSettings,
    });
  });
}
