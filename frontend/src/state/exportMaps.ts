/** Which maps an export writes, as the server does. */
import type { Channel, ExportPreset, MapSpec } from "../api/types";

/** The preset's maps; the built-in one of separate maps also writes the channels an artist added. */
export function withOwnChannels(preset: ExportPreset, channels: readonly Channel[]): MapSpec[] {
  if (preset.id !== "separate-maps") return preset.maps;
  const known = new Set(preset.maps.flatMap((m) => m.components.map((x) => x.replace(/^1-/, "").split(".")[0])));
  const own = channels.filter((c) => !known.has(c.id));
  return [
    ...preset.maps,
    ...own.map((c) => ({
      id: c.id,
      name: c.name,
      components: c.kind === "colour" ? ["r", "g", "b"].map((l) => `${c.id}.${l}`) : [c.id],
      bits: null,
      format: null,
      size: null,
      colour_space: null,
      dither: false,
      on: true,
    })),
  ];
}
