import { afterEach, describe, expect, it } from "vitest";
import type { ProjectState, Registries } from "../api/types";
import { freshStepId, masks, maskTrouble, newStep } from "./masks";
import { workshop } from "./workshop";

const mask = (...ids: string[]) => ({ on: true, invert: false, sources: ids.map((id) => ({ id, kind: "invert" as const, on: true, strength: 1 })) });

afterEach(() => {
  masks.setState({ open: null, view: "off" });
  workshop.setState({ project: null, registries: null });
});

describe("steps of a mask", () => {
  it("get ids that are free", () => {
    expect(freshStepId(mask())).toBe("m1");
    expect(freshStepId(mask("m1", "m3"))).toBe("m2");
  });
  it("begin as the server says, and multiply what is there already", () => {
    const noise = { id: "new", kind: "noise", on: true, strength: 1, combine: "replace", invert: false, size: 0.05 };
    workshop.setState({
      registries: {
        stack: { first_steps: { noise, blur: { id: "new", kind: "blur", on: true, strength: 1, radius: 0.01 } } },
      } as unknown as Registries,
    });
    expect(newStep(mask(), "noise")).toMatchObject({ id: "m1", combine: "replace", size: 0.05 });
    expect(newStep(mask("m1"), "noise")).toMatchObject({ id: "m2", combine: "multiply" });
    expect(newStep(mask("m1"), "blur")).not.toHaveProperty("combine");
    expect(newStep(mask(), "plasma")).toBeNull();
  });
});

describe("a mask in the views", () => {
  const painted = { id: "hand", kind: "painted", on: true, strength: 1, combine: "replace", invert: false, base: 0 };
  const project = (sources: unknown[]): ProjectState =>
    ({
      document: {
        sheets: [{ id: "s", layers: [{ id: "a", name: "Chips", kind: "fill", channels: {}, mask: { on: true, invert: false, sources } }] }],
      },
    }) as unknown as ProjectState;
  const target = (layer: string, source: string | null) => ({ sheet: "s", layer, channels: [], mask: source, mesh_map: null });

  it("takes strokes only when it is the target", () => {
    workshop.setState({ project: project([painted]) });
    masks.setState({ open: { sheet: "s", layer: "a" } });
    expect(maskTrouble("off", target("b", null))).toBeNull();
    expect(maskTrouble("grey", target("a", "hand"))).toBeNull();
    expect(maskTrouble("grey", target("b", null))).toContain("press its painted source");
    expect(maskTrouble("over", target("a", null))).toContain("Chips");
    workshop.setState({ project: project([]) });
    expect(maskTrouble("grey", null)).toContain("give it a painted source");
  });
});
