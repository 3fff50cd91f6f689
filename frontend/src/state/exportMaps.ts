/** Which maps an export writes, as the server does. */
import type { Channel, ExportPreset, MapSpec } from "../api/types";

/** A map that follows its preset in everything. */
export function plainMap(id: string, name: string, components: string[]): MapSpec {
  return { id, name, components, bits: null, format: null, size: null, colour_space: null, dither: false, on: true };
}

/** The preset's maps; the built-in one of separate maps also writes the channels an artist added. */
export function withOwnChannels(preset: ExportPreset, channels: readonly Channel[]): MapSpec[] {
  if (preset.id !== "separate-maps") return preset.maps;
  const known = new Set(preset.maps.flatMap((m) => m.components.map((x) => x.replace(/^1-/, "").split(".")[0])));
  const own = channels.filter((c) => !known.has(c.id));
  return [...preset.maps, ...own.map((c) => plainMap(c.id, c.name, c.kind === "colour" ? ["r", "g", "b"].map((l) => `${c.id}.${l}`) : [c.id]))];
}
