import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { Edit, Layer, ProjectState } from "../api/types";
import { documentOf, paint, registries } from "../testing/documents";
import { adjusting, catchToConfine, openRange, pickedAlong, showCatch } from "./adjusting";
import { addRole, addVariant, forgetChanges, removeVariant } from "./variants";
import { START, workshop } from "./workshop";

const adjust = (more: object = {}): Layer =>
  ({
    id: "warm",
    name: "Warm",
    kind: "adjust",
    visible: true,
    locked: false,
    strength: 1,
    blend: "normal",
    channels: {},
    mask: null,
    adjust: { kind: "hsv", hue: 30, saturation: 0, value: 0 },
    ranges: [],
    rest: false,
    ...more,
  }) as unknown as Layer;

function begin(document: object, showing: string | null = null): ProjectState {
  const project = {
    uid: "p",
    revision: 3,
    document: { ...documentOf(adjust(), paint("l1")), showing, ...document },
    painted: [],
  } as unknown as ProjectState;
  const stack = { ...registries.stack, first_adjustments: { hsv: { kind: "hsv", hue: 0, saturation: 0, value: 0 } } };
  const target = { sheet: "body", layer: "warm", channels: [], mask: null, mesh_map: null };
  workshop.setState({ ...START, registries: { ...registries, stack } as typeof registries, uid: "p", project, sheet: "body", target });
  vi.spyOn(api, "edit").mockImplementation(async () => ({ ...project, revision: 4 }));
  return project;
}

const sent = (): Edit => vi.mocked(api.edit).mock.lastCall?.[3] as Edit;

beforeEach(() => {
  begin({});
});
afterEach(() => {
  vi.restoreAllMocks();
  adjusting.setState({ range: null, catching: false, picking: null });
});

describe("ranges", () => {
  it("gives the first one what was set for everything, and leaves the rest as it is", async () => {
    vi.spyOn(api, "colourBeneath").mockResolvedValue([0.8, 0.1, 0.1]);
    adjusting.setState({ picking: { what: "new" } });
    await pickedAlong("body", null, [[1, 2]]);
    expect(sent()).toMatchObject({
      edit: "set-layer",
      layer: "warm",
      values: { adjust: { kind: "hsv", hue: 0 }, ranges: [{ id: "r1", colour: [0.8, 0.1, 0.1], adjust: { kind: "hsv", hue: 30 } }] },
    });
    expect(adjusting.getState()).toMatchObject({ range: "r1", catching: true, picking: null });
    expect(workshop.getState().over).toBe("catch:warm:r1");
  });

  it("asks nothing of another sheet", async () => {
    const asked = vi.spyOn(api, "colourBeneath");
    adjusting.setState({ picking: { what: "new" } });
    await pickedAlong("other", null, [[1, 2]]);
    expect(asked).not.toHaveBeenCalled();
    expect(api.edit).not.toHaveBeenCalled();
  });

  it("marks what the open one catches, and lets go of it with another target", () => {
    openRange("r1");
    showCatch(true);
    expect(workshop.getState()).toMatchObject({ over: "catch:warm:r1", maskSheet: "body" });
    workshop.setState({ target: { sheet: "body", layer: "l1", channels: ["base_color"], mask: null, mesh_map: null } });
    expect(workshop.getState().over).toBeNull();
    expect(adjusting.getState()).toMatchObject({ range: null, catching: false });
  });

  it("keeps strokes to what one catches", () => {
    catchToConfine({ id: "r1", colour: [0, 0, 0] } as never);
    expect(workshop.getState().confine.caught).toBe("warm:r1");
    expect(workshop.getState().confined).toBe(true);
  });
});

describe("variants", () => {
  const dusk = { id: "v1", name: "Dusk", overrides: [{ sheet: "body", layer: "l1", values: { strength: 0.5 } }], roles: { hull: [1, 0, 0] } };

  it("begins a new one as what shows", async () => {
    begin({ variants: [dusk] }, "v1");
    const shown = vi.spyOn(api, "showVariant").mockImplementation(async () => workshop.getState().project as ProjectState);
    await addVariant("Night");
    expect(sent()).toMatchObject({
      edit: "set-variants",
      variants: [dusk, { id: "v2", name: "Night", overrides: dusk.overrides, roles: dusk.roles }],
    });
    expect(shown).toHaveBeenCalledWith("p", "v2");
  });

  it("forgets a change, and takes one away", async () => {
    begin({ variants: [dusk] });
    await forgetChanges("v1", "body", "l1");
    expect(sent()).toMatchObject({ variants: [{ id: "v1", overrides: [] }] });
    await removeVariant("v1");
    expect(sent()).toEqual({ edit: "set-variants", variants: [] });
  });

  it("keeps the base's colours when a role is added while a variant shows", async () => {
    const roles = [{ id: "hull", name: "Hull", colour: [1, 0, 0] }];
    begin({ variants: [dusk], settings: { roles }, base: { id: "base", name: "Base", overrides: [], roles: { hull: [0.2, 0.3, 0.4] } } }, "v1");
    expect(await addRole("Deck", [0, 1, 0])).toBe("role1");
    expect(sent()).toEqual({
      edit: "set-roles",
      roles: [
        { id: "hull", name: "Hull", colour: [0.2, 0.3, 0.4] },
        { id: "role1", name: "Deck", colour: [0, 1, 0] },
      ],
    });
  });
});
