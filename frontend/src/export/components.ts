/** What a component of a map can be, in words, for the editor of maps. */
import type { Channel } from "../api/types";
import type { Option } from "../ui/Dropdown";

const LETTERS = [
  ["r", "red"],
  ["g", "green"],
  ["b", "blue"],
] as const;

/** Everything a component can take, without its inversion. */
export function componentOptions(channels: readonly Channel[], meshMaps: readonly { id: string; name: string; components: number }[]): Option[] {
  const found: Option[] = [];
  const colour = (id: string, name: string, group: string, luminance: boolean): void => {
    for (const [letter, word] of LETTERS) found.push({ id: `${id}.${letter}`, name: `${name}, ${word}`, group });
    if (luminance) found.push({ id: `${id}.l`, name: `${name}, luminance`, group });
  };
  for (const c of channels)
    if (c.kind === "colour") colour(c.id, c.name, "Channels", true);
    else found.push({ id: c.id, name: c.name, group: "Channels" });
  for (const [letter, word] of [
    ["x", "X"],
    ["y", "Y"],
    ["z", "Z"],
  ] as const)
    found.push({ id: `normal.${letter}`, name: `Normal, ${word}`, group: "Made of channels" });
  colour("diffuse", "Diffuse", "Made of channels", false);
  colour("specular", "Specular", "Made of channels", false);
  for (const m of meshMaps)
    if (m.components === 3) colour(`map:${m.id}`, m.name, "Mesh maps", false);
    else found.push({ id: `map:${m.id}`, name: m.name, group: "Mesh maps" });
  for (const value of ["0", "0.5", "1"]) found.push({ id: value, name: value, group: "Numbers" });
  return found;
}

export const isInverted = (component: string): boolean => component.startsWith("1-");
export const plain = (component: string): string => component.replace(/^1-/, "");
/** One minus a component; numbers are turned over by themselves. */
export function inverted(component: string): string {
  if (/^[01]/.test(plain(component))) return String(Math.round((1 - Number(plain(component))) * 10000) / 10000);
  return isInverted(component) ? plain(component) : `1-${component}`;
}

/** Components with the number of them that is wanted; what is added begins with nothing. */
export function withCount(components: readonly string[], count: 1 | 3 | 4): string[] {
  return Array.from({ length: count }, (_, i) => components[i] ?? (i === 3 ? "1" : "0"));
}

/** An id for a new map that no other has. */
export function freeId(name: string, taken: readonly string[]): string {
  const base =
    name
      .toLowerCase()
      .replace(/[^a-z0-9]+/g, "_")
      .replace(/^_+|_+$/g, "")
      .slice(0, 36) || "map";
  for (let n = 1; ; n += 1) {
    const id = n === 1 ? base : `${base}_${n}`;
    if (!taken.includes(id)) return id;
  }
}
