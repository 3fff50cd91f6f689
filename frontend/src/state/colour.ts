/** Colours between the picker's text and the project's numbers (sRGB-encoded 0–1). */
import type { RGB } from "./workshop";

export function toHex(rgb: readonly number[]): string {
  return `#${rgb
    .slice(0, 3)
    .map((v) =>
      Math.round(Math.min(1, Math.max(0, v)) * 255)
        .toString(16)
        .padStart(2, "0"),
    )
    .join("")}`;
}

export function fromHex(hex: string): RGB | null {
  const found = /^#?([0-9a-f]{2})([0-9a-f]{2})([0-9a-f]{2})$/i.exec(hex.trim());
  return found ? [parseInt(found[1] ?? "0", 16) / 255, parseInt(found[2] ?? "0", 16) / 255, parseInt(found[3] ?? "0", 16) / 255] : null;
}

/** Lightness of a colour as a mask value: luma of the encoded values. */
export function greyOf(rgb: readonly number[]): number {
  return 0.2126 * (rgb[0] ?? 0) + 0.7152 * (rgb[1] ?? 0) + 0.0722 * (rgb[2] ?? 0);
}

export function sameColour(a: readonly number[], b: readonly number[]): boolean {
  return a.every((v, i) => Math.abs(v - (b[i] ?? 0)) < 1 / 512);
}
