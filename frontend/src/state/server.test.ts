/** Rules that are answered here at once are the server's: its answers are made by tools/shared_cases.py. */
import { describe, expect, it } from "vitest";
import type { Document, ExportPreset, Sheet, Target } from "../api/types";
import cases from "../testing/server.cases.json";
import { withOwnChannels } from "./exportMaps";
import { newUses, shownIds, targetTrouble } from "./layers";
import { PACKED } from "./textureNames";

describe("what the server says too", () => {
  it.each(cases.solo)("shows with $solo alone what the server shows", ({ sheet, shown }) => {
    expect([...shownIds(sheet as unknown as Sheet)].sort()).toEqual(shown);
  });

  it.each(cases.targets)("lets strokes land where the server does: $target", ({ document, target, allowed }) => {
    expect(targetTrouble(cases.documents[document] as unknown as Document, target as unknown as Target) === null).toBe(allowed);
  });

  it("knows where channels lie in packed textures", () => {
    expect(PACKED).toEqual(cases.packed);
  });

  it("begins layers with the server's uses of channels", () => {
    expect(newUses(cases.uses.channels as unknown as Document["channels"])).toEqual(cases.uses.new);
  });

  it.each(cases.exports)("writes the maps the server writes: $preset.id", ({ preset, maps }) => {
    expect(withOwnChannels(preset as unknown as ExportPreset, cases.uses.channels as unknown as Document["channels"])).toEqual(maps);
  });
});
