/** What the Bake screen would ask the server for, and what the next stroke lays there. */
import { afterEach, beforeEach, expect, test } from "vitest";
import type { BakeSettings, MeshMapKind, ProjectState, Registries } from "../api/types";
import { documentOf, paint, sheetOf } from "../testing/documents";
import { bakery, choose, enterBake, leaveBake, request, setSetting, showMap } from "./bake";
import { currentPaint } from "./hand";
import { targetTrouble } from "./layers";
import { layoutFree, lostMaps } from "./layout";
import { workshop } from "./workshop";

const kind = (id: string, components: number, from_normal = false): MeshMapKind => ({
  id,
  name: id,
  components,
  hint: "",
  settings: [],
  rays: false,
  from_normal,
  by_hand: false,
});
const settings = { rays: 64, front: 0.02, pairs: [] as BakeSettings["pairs"], cage: "blended" } as unknown as BakeSettings;
const before = workshop.getState();
const bakeBefore = bakery.getState();

beforeEach(() => {
  const maps = [kind("normal", 3), kind("occlusion", 1, true), kind("curvature", 1, true), kind("thickness", 1)];
  const home = { ...sheetOf(paint("p")), mesh_maps: [{ id: "occlusion", source: "model" as const, settings: {}, touch_up: true }] };
  workshop.setState({
    ...before,
    registries: { bake: { maps, parameters: [], settings } } as unknown as Registries,
    project: {
      uid: "u",
      revision: 1,
      painted: [],
      document: { ...documentOf(paint("p")), sheets: [home], high_meshes: [] },
    } as unknown as ProjectState,
    sheet: home.id,
    tool: "brush",
    mode: "lit",
    channel: "base_color",
  });
  bakery.setState({ ...bakeBefore, settings, source: "model" });
});
afterEach(() => {
  workshop.setState(before, true);
  bakery.setState(bakeBefore, true);
});

test("maps are asked for in the order of the grid", () => {
  bakery.setState({ chosen: [] });
  choose("thickness", true);
  choose("normal", true);
  choose("curvature", true);
  choose("curvature", false);
  expect(request()?.maps).toEqual(["normal", "thickness"]);
  bakery.setState({ chosen: [] });
  expect(request()).toBeNull();
});

test("a normal map is only asked for what it can tell", () => {
  bakery.setState({ chosen: ["normal", "occlusion", "thickness"], source: "normal-map" });
  expect(request()?.maps).toEqual(["occlusion"]);
});

test("one sheet or all of them", () => {
  expect(request()?.sheets).toEqual([]);
  bakery.setState({ everySheet: false });
  expect(request()?.sheets).toEqual([workshop.getState().sheet]);
  setSetting({ rays: 16 });
  expect(request()?.settings.rays).toBe(16);
});

test("entering turns target and views to a map, leaving brings them back", () => {
  const aim = { sheet: workshop.getState().sheet ?? "", layer: "p", channels: ["base_color"], mask: null, mesh_map: null };
  workshop.setState({ target: aim });
  enterBake();
  expect(workshop.getState()).toMatchObject({ mode: "channel", channel: "map:occlusion", target: { mesh_map: "occlusion" } });
  showMap("curvature");
  expect(workshop.getState().channel).toBe("map:curvature");
  const { project: open, target } = workshop.getState();
  expect(open && targetTrouble(open.document, target)).toContain("not baked yet");
  leaveBake();
  expect(workshop.getState()).toMatchObject({ mode: "lit", channel: "base_color", target: aim });
});

test("settings stay the artist's, and begin with a project's last bake", () => {
  const open = workshop.getState().project;
  const home = {
    ...sheetOf(paint("p")),
    mesh_maps: [{ id: "occlusion", source: "high" as const, settings: { rays: 9, cage: "file" }, touch_up: true }],
  };
  workshop.setState({ uid: "u", project: { ...open, document: { ...open?.document, sheets: [home] } } as unknown as ProjectState });
  bakery.setState({ settings: null });
  enterBake();
  // The cage it used is gone.
  expect(bakery.getState().settings).toMatchObject({ rays: 9, front: 0.02, cage: settings.cage });
  setSetting({ rays: 200 });
  leaveBake();
  enterBake();
  expect(bakery.getState().settings?.rays).toBe(200);
  workshop.setState({ uid: "another" });
  enterBake();
  expect(bakery.getState().settings?.rays).toBe(9);
});

test("strokes on a map lay its value, and clone carries its source", () => {
  enterBake();
  const tools = [
    { id: "brush", stroke: "paint" },
    { id: "clone", stroke: "clone" },
    { id: "erase", stroke: "paint" },
  ];
  workshop.setState((s) => ({ maskValues: [0.25, 0], registries: { ...s.registries, tools } as never }));
  expect(currentPaint(false)).toMatchObject({ values: { "map:occlusion": [0.25] }, tool: "paint", clone: null });
  workshop.setState({ tool: "clone", clone: { source: [1, 2, 3], anchor: null } });
  expect(currentPaint(false)).toMatchObject({ tool: "clone", clone: { source: [1, 2, 3], anchor: null } });
  expect(currentPaint(true)).toMatchObject({ tool: "paint", erase: true });
  leaveBake();
});

test("a layout is free until a plane of a sheet holds pixels", () => {
  const project = (painted: string[]): ProjectState => ({ painted, document: documentOf(paint("l1")) }) as unknown as ProjectState;
  expect(layoutFree(project(["@high/lantern/mesh", "@model/current/mesh", "vertices/l1/base_color"]))).toBe(true);
  expect(layoutFree(project(["body/l1/base_color"]))).toBe(false);
});

test("maps that a layout could not take along are told by name", () => {
  const project = (maps: string[], normal: boolean): ProjectState => {
    const document = documentOf(paint("l1"));
    return {
      document: { ...document, sheets: document.sheets.map((s) => ({ ...s, normal_map: normal, mesh_maps: maps.map((id) => ({ id })) })) },
    } as unknown as ProjectState;
  };
  expect(lostMaps(project(["normal", "occlusion"], true), project(["occlusion"], false))).toBe(
    " Of the old layout, to be baked or brought again: normal of Body, the normal map of Body.",
  );
  expect(lostMaps(project(["occlusion"], false), project(["occlusion"], false))).toBe("");
});
