import { beforeEach, describe, expect, it } from "vitest";
import type { Finish, ProjectState, Target } from "../api/types";
import { documentOf, paint } from "../testing/documents";
import { holds, laysOf, setLays, takeFinish } from "./finishes";
import { currentPaint } from "./hand";
import { workshop } from "./workshop";

const wet: Finish = { id: "wet", name: "Wet", values: { roughness: [0.05], metallic: [0], gone: [1] } };
const target: Target = { sheet: "body", layer: "l1", channels: ["base_color"], mask: null, mesh_map: null };

beforeEach(() => {
  const document = documentOf(paint("l1"));
  const metallic = { id: "metallic", name: "Metallic", kind: "data", start: [0] } as (typeof document.channels)[number];
  workshop.setState({ project: { document: { ...document, channels: [...document.channels, metallic] } } as ProjectState, target, values: {} });
});

describe("finishes", () => {
  it("lays colour only, finish only, or both", () => {
    setLays("finish");
    expect(workshop.getState().target?.channels).toEqual(["roughness", "metallic"]);
    setLays("both");
    expect(workshop.getState().target?.channels).toEqual(["base_color", "roughness", "metallic"]);
    setLays("colour");
    expect(workshop.getState().target?.channels).toEqual(["base_color"]);
    expect([["base_color", "height"], ["roughness"], [], ["base_color", "metallic", "roughness"]].map(laysOf)).toEqual([null, null, null, "both"]);
  });

  it("takes a finish in hand beside the colour; channels that are gone are left out", () => {
    takeFinish(wet);
    expect(workshop.getState().target?.channels).toEqual(["base_color", "roughness", "metallic"]);
    expect(currentPaint(false).values).toMatchObject({ roughness: [0.05], metallic: [0] });
    expect(holds(workshop.getState().values, { ...wet, values: { roughness: [0.05], metallic: [0] } })).toBe(true);
    setLays("finish");
    takeFinish({ ...wet, values: { roughness: [0.9] } });
    // Colour that strokes left alone stays alone.
    expect(workshop.getState().target?.channels).toEqual(["roughness"]);
  });
});
