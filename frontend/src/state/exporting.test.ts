import { beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { ExportPreset, MapSpec, Sheet } from "../api/types";
import { changePreset, choosePreset, exporting, isBaked, isOn, isSilent, presetNow, switchMap, writeAgain } from "./exporting";
import { plainMap } from "./exportMaps";
import { workshop } from "./workshop";

const map = (id: string, components: string[], on = true): MapSpec => ({ ...plainMap(id, id, components), on });
const sheet = (id: string, maps: string[] = []) => ({ id, of: "texels", mesh_maps: maps.map((m) => ({ id: m })) }) as unknown as Sheet;
const preset = { id: "p", name: "P", maps: [map("a", ["roughness"]), map("b", ["emission.r"], false)] } as unknown as ExportPreset;
const plan = (silent: { sheet: string; map: string }[]) => ({ files: [], silent });

beforeEach(() => {
  workshop.setState({ uid: "x", project: { document: { sheets: [sheet("s")], channels: [] }, revision: 1 } as never });
  exporting.setState({ presets: [preset], chosen: "p", changed: {}, switched: new Map(), plan: null, sheetsOff: new Set() });
});

describe("what is exported", () => {
  it("is the preset with what was changed of it, until another is chosen", () => {
    changePreset({ padding: 3 });
    expect(presetNow()?.padding).toBe(3);
    choosePreset("p");
    expect(presetNow()?.padding).toBeUndefined();
  });

  it("leaves out maps that say nothing on all of its sheets, unless they are wanted", () => {
    const sheets = [sheet("s"), sheet("t")];
    const [a] = preset.maps as [MapSpec];
    exporting.setState({ plan: plan([{ sheet: "s", map: "a" }]) as never });
    expect(isSilent("a", sheets, exporting.getState().plan)).toBe(false);
    expect(isOn(a, sheets)).toBe(true);
    exporting.setState({
      plan: plan([
        { sheet: "s", map: "a" },
        { sheet: "t", map: "a" },
      ]) as never,
    });
    expect(isOn(a, sheets)).toBe(false);
    switchMap("a", true);
    expect(isOn(a, sheets)).toBe(true);
  });

  it("follows the preset where it has a map off", () => {
    expect(isOn(preset.maps[1] as MapSpec, [sheet("s")])).toBe(false);
  });

  it("has mesh maps only where they are baked, inverted or not", () => {
    expect(isBaked(map("m", ["1-map:curvature"]), sheet("s"))).toBe(false);
    expect(isBaked(map("m", ["1-map:curvature"]), sheet("s", ["curvature"]))).toBe(true);
    expect(isBaked(map("m", ["roughness"]), sheet("s"))).toBe(true);
  });

  it("is written again once at a time", async () => {
    let finish: (job: never) => void = () => undefined;
    const asked = vi.spyOn(api, "exportAgain").mockReturnValue(new Promise((done) => (finish = done)));
    const first = writeAgain();
    await writeAgain();
    expect(asked).toHaveBeenCalledTimes(1);
    finish({ id: "j", state: "failed", error: "no" } as never);
    await first;
  });
});
