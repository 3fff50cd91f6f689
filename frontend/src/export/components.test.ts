import { describe, expect, it } from "vitest";
import { componentOptions, freeId, inverted, isInverted, plain, withCount } from "./components";

const CHANNELS = [
  { id: "base_color", name: "Base colour", kind: "colour", start: [1, 1, 1] },
  { id: "roughness", name: "Roughness", kind: "data", start: [0.5] },
] as never;

describe("components of maps", () => {
  it("are channels, what is made of them, mesh maps and numbers", () => {
    const ids = componentOptions(CHANNELS, [
      { id: "curvature", name: "Curvature", components: 1 },
      { id: "normal", name: "Normal", components: 3 },
    ]).map((o) => o.id);
    for (const id of ["base_color.r", "base_color.l", "roughness", "normal.z", "specular.b", "map:curvature", "map:normal.g", "0.5"])
      expect(ids).toContain(id);
    expect(ids).not.toContain("roughness.l");
    expect(new Set(ids).size).toBe(ids.length);
  });

  it("are turned over and back", () => {
    expect(inverted("roughness")).toBe("1-roughness");
    expect(inverted("1-roughness")).toBe("roughness");
    expect(inverted("0.25")).toBe("0.75");
    expect(inverted("1")).toBe("0");
    expect(isInverted("1-roughness")).toBe(true);
    expect(isInverted("1")).toBe(false);
    expect(plain("1-map:curvature")).toBe("map:curvature");
  });

  it("keep what they have when there are more or fewer", () => {
    expect(withCount(["roughness"], 3)).toEqual(["roughness", "0", "0"]);
    expect(withCount(["a", "b", "c"], 4)).toEqual(["a", "b", "c", "1"]);
    expect(withCount(["a", "b", "c"], 1)).toEqual(["a"]);
  });

  it("get ids of their own", () => {
    expect(freeId("New map", [])).toBe("new_map");
    expect(freeId("New map", ["new_map", "new_map_2"])).toBe("new_map_3");
    expect(freeId("…", [])).toBe("map");
  });
});
