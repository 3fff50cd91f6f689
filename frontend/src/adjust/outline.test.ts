import { describe, expect, it } from "vitest";
import { outline } from "./outline";

describe("the histogram", () => {
  it("rises to its most often value and rests on the ground elsewhere", () => {
    const bins = new Array<number>(256).fill(0);
    bins[10] = 400;
    bins[20] = 100;
    const drawn = outline(bins);
    expect(drawn).toContain("10 0.0");
    expect(drawn).toContain("20 28.0");
    expect(drawn).toContain("30 56.0");
  });
});
