import { describe, expect, it } from "vitest";
import type { Target } from "../api/types";
import { documentOf, fill, group, paint, sheetOf } from "../testing/documents";
import { findLayer, firstTarget, freshId, newUses, partIn, rows, shownIds, targetTrouble } from "./layers";

const tree = [paint("soot"), group("enamel", [fill("coat"), group("inner", [paint("chips")])]), fill("ground")];
const aim = (layer: string, more: Partial<Target> = {}): Target => ({
  sheet: "body",
  layer,
  channels: ["base_color"],
  mask: null,
  mesh_map: null,
  ...more,
});

describe("rows", () => {
  it("lists layers front first with depth, parent and place", () => {
    expect(rows(sheetOf(...tree)).map((r) => [r.layer.id, r.depth, r.parent, r.index])).toEqual([
      ["soot", 0, null, 0],
      ["enamel", 0, null, 1],
      ["coat", 1, "enamel", 0],
      ["inner", 1, "enamel", 1],
      ["chips", 2, "inner", 0],
      ["ground", 0, null, 2],
    ]);
  });

  it("leaves out what closed groups hold", () => {
    expect(rows(sheetOf(...tree), new Set(["enamel"])).map((r) => r.layer.id)).toEqual(["soot", "enamel", "ground"]);
  });

  it("finds layers at any depth and ids that are free", () => {
    expect(findLayer(sheetOf(...tree), "chips")?.name).toBe("CHIPS");
    expect(findLayer(sheetOf(...tree), "gone")).toBeUndefined();
    expect(freshId(sheetOf(paint("l1"), paint("l3"), paint("x")))).toBe("l4");
    expect(freshId(sheetOf(paint("l2")))).toBe("l3");
  });
});

describe("targetTrouble", () => {
  const document = documentOf(...tree);

  it("says nothing about a target that can be painted", () => {
    expect(targetTrouble(document, aim("soot"))).toBeNull();
    expect(targetTrouble(document, aim("chips"))).toBeNull();
    expect(targetTrouble(document, aim("coat", { channels: [], mask: "m1" }))).toBeNull();
  });

  it.each([
    [null, "No target"],
    [aim("gone"), "is gone"],
    [aim("soot", { sheet: "lid" }), "is gone"],
    [aim("coat"), "is a fill layer"],
    [aim("soot", { channels: [] }), "No channel"],
  ])("names what is wrong with %o", (target, words) => {
    expect(targetTrouble(document, target)).toContain(words);
  });

  it("knows which layers solo lets show", () => {
    const alone = { ...sheetOf(...tree), solo: "inner" };
    expect([...shownIds(alone)].sort()).toEqual(["chips", "enamel", "inner"]);
    expect(shownIds({ ...alone, solo: "gone" }).size).toBe(6);
    expect(targetTrouble({ ...document, sheets: [alone] }, aim("soot"))).toBe("Another layer is shown alone");
    expect(targetTrouble({ ...document, sheets: [alone] }, aim("chips"))).toBeNull();
  });

  it("looks at the groups around a layer", () => {
    const locked = documentOf(group("a", [group("b", [paint("p")])], { locked: true }));
    expect(targetTrouble(locked, aim("p"))).toBe("A is locked");
    const hidden = documentOf(group("a", [paint("p")], { visible: false }));
    expect(targetTrouble(hidden, aim("p"))).toBe("A is hidden");
  });
});

describe("starts", () => {
  it("aims at the front paint layer that takes paint", () => {
    expect(firstTarget(sheetOf(paint("a", { locked: true }), fill("f"), paint("b")))).toEqual(aim("b"));
    expect(firstTarget(sheetOf(fill("f")))).toBeNull();
  });

  it("lets new layers add height to what is below", () => {
    const uses = newUses(documentOf().channels);
    expect(uses.height?.blend).toBe("height-add");
    expect(uses.base_color?.blend).toBeNull();
  });

  it("knows a layer's part in a channel it says nothing about", () => {
    expect(partIn(paint("p"), "roughness").on).toBe(true);
    expect(partIn(fill("f"), "roughness").on).toBe(false);
  });
});
