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

/** What fields for files take: pictures, meshes with what they name, and all of a model. */
export function accepted(what: "pictures" | "meshes" | "models"): string {
  const known = get().registries;
  const pictures = known?.picture_types ?? [];
  const meshes = [...(known?.mesh_formats ?? []), ...(known?.beside_formats ?? [])];
  return (what === "pictures" ? pictures : what === "meshes" ? meshes : [...meshes, ...pictures]).join();
}
