import { describe, expect, it } from "vitest";
import { fromHex, greyOf, sameColour, toHex } from "./colour";

describe("colour text", () => {
  it.each(["#000000", "#ffffff", "#8b4234", "#1f4f4e", "#010203"])("%s turns back", (hex) => {
    expect(toHex(fromHex(hex) ?? [])).toBe(hex);
  });

  it("takes colours without the sign and in capitals", () => {
    expect(fromHex(" B79E72 ")).toEqual([183 / 255, 158 / 255, 114 / 255]);
  });

  it.each(["", "#12", "red", "#12345g", "#1234567"])("refuses %s", (text) => {
    expect(fromHex(text)).toBeNull();
  });

  it("clamps what lies outside", () => {
    expect(toHex([2, -1, 0.5])).toBe("#ff0080");
  });

  it("weighs lightness by the eye", () => {
    expect(greyOf([1, 1, 1])).toBeCloseTo(1);
    expect(greyOf([0, 1, 0])).toBeGreaterThan(greyOf([1, 0, 0]));
    expect(greyOf([1, 0, 0])).toBeGreaterThan(greyOf([0, 0, 1]));
  });

  it("knows colours that look the same on screen", () => {
    expect(sameColour([0.5, 0.5, 0.5], [0.501, 0.5, 0.5])).toBe(true);
    expect(sameColour([0.5, 0.5, 0.5], [0.504, 0.5, 0.5])).toBe(false);
  });
});
