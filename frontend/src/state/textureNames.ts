/** What the server calls the pictures of a sheet, and what the views show of them. */
export type ViewMode = "lit" | "channel" | "flat";

/** The texture whose red says why a texel of a bake is suspect, as bits. */
export const SUSPECTS = "channel:map:suspects";

/** Where a channel is found in the packed textures: texture, first component, and how many. */
export const PACKED: Record<string, [string, number, number]> = {
  base_color: ["colour", 0, 3],
  opacity: ["colour", 3, 1],
  occlusion: ["data", 0, 1],
  roughness: ["data", 1, 1],
  metallic: ["data", 2, 1],
  height: ["data", 3, 1],
  normal: ["normal", 0, 3],
  emission: ["emission", 0, 3],
};

export function textureOf(channel: string): string {
  return PACKED[channel]?.[0] ?? `channel:${channel}`;
}
