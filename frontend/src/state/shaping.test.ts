import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { Camera, FacePick, ProjectState, StrokeHeader, StrokeMessage } from "../api/types";
import { openProject } from "./following";
import { currentPaint } from "./hand";
import { messages } from "./messages";
import { endOutline, extendOutline, keepPicked, outline, startOutline } from "./picking";
import { abandon, addPoint, beginShape, confirm, dropPoint, movePoint, setShaping, shaping } from "./shaping";
import { workshop } from "./workshop";
import { theSender } from "./sender";

const camera = { eye: [0, 0, 5], target: [0, 0, 0], up: [0, 1, 0], fov_deg: 30, width: 100, height: 100 } as Camera;
const layer = { id: "a", name: "Paint", kind: "paint", visible: true, locked: false, strength: 1, blend: "normal", channels: {}, mask: null };
const channels = [
  { id: "base_color", name: "Base colour", kind: "colour", start: [0.5, 0.5, 0.5] },
  { id: "height", name: "Height", kind: "height", start: [0] },
];
const project = {
  uid: "u",
  revision: 7,
  updated_at: 0,
  model: "m",
  painted: [],
  document: {
    channels,
    sheets: [{ id: "s", name: "S", resolution: 256, layers: [layer], mesh_maps: [] }],
    hidden_parts: [],
    settings: {},
    face_sets: [],
  },
} as unknown as ProjectState;
const target = { sheet: "s", layer: "a", channels: ["base_color", "height"], mask: null, mesh_map: null };

let sent: StrokeMessage[] = [];

beforeEach(async () => {
  sent = [];
  vi.spyOn(api, "state").mockResolvedValue(project);
  vi.spyOn(api, "geometry").mockRejectedValue(new Error("no card here"));
  vi.spyOn(api, "stroke").mockImplementation((_uid, message) => {
    sent.push(structuredClone(message));
    return Promise.resolve({ header: { patches: [], versions: [], dabs: 1, shape: null } as unknown as StrokeHeader, bytes: new Uint8Array() });
  });
  vi.stubGlobal("window", { clearInterval: () => undefined, setInterval: () => 0 });
  await openProject("u");
  workshop.setState({ target, tool: "line" });
});

afterEach(() => {
  abandon();
  vi.unstubAllGlobals();
});

const settle = (): Promise<void> => new Promise((r) => setTimeout(r, 0));

describe("a line", () => {
  it("is laid from its second point on, anew with every change, and ends when it is kept", async () => {
    expect(beginShape("solid", [0, 0, 0], camera)).toBe(true);
    expect(sent).toHaveLength(0);
    addPoint([1, 0, 0], camera);
    await settle();
    movePoint(1, [1, 1, 0], camera);
    await settle();
    expect(sent.map((m) => m.shape?.surface)).toEqual([
      [
        [0, 0, 0],
        [1, 0, 0],
      ],
      [
        [0, 0, 0],
        [1, 1, 0],
      ],
    ]);
    expect(sent[0]?.begin).toMatchObject({ revision: 7, target });
    setShaping({ rows: true, closed: true });
    await settle();
    expect(sent.at(-1)?.shape).toMatchObject({ closed: false, row: { align: "along" } });
    await confirm();
    await settle();
    expect(sent.at(-1)?.end).toBe(true);
    expect(shaping.getState().points).toEqual([]);
    expect(theSender()?.running).toBe(false);
    setShaping({ rows: false, closed: false });
  });

  it("shows another brush at once, and keeps itself when the target changes", async () => {
    beginShape("flat", [10, 10], null);
    addPoint([50, 10], null);
    await settle();
    workshop.setState({ brush: { ...workshop.getState().brush, size: 99 } });
    await settle();
    expect(sent.at(-1)?.begin?.brush.size).toBe(99);
    expect(sent.at(-1)?.shape?.sheet).toEqual([
      [10, 10],
      [50, 10],
    ]);
    workshop.setState({ target: { ...target, channels: ["height"] } });
    await settle();
    await settle();
    expect(sent.at(-1)?.end).toBe(true);
  });

  it("follows the surface once its points come from two views", async () => {
    beginShape("solid", [0, 0, 0], camera);
    addPoint([1, 0, 0], camera);
    await settle();
    expect(sent.at(-1)?.shape?.camera).toEqual(camera);
    movePoint(1, [1, 1, 0], { ...camera, eye: [5, 0, 0] } as Camera);
    await settle();
    expect(sent.at(-1)?.shape?.camera).toBeNull();
  });

  it("loses its points one by one, and then is dropped", async () => {
    beginShape("solid", [0, 0, 0], camera);
    addPoint([1, 0, 0], camera);
    addPoint([2, 0, 0], camera);
    await settle();
    dropPoint();
    await settle();
    expect(sent.at(-1)?.shape?.surface).toHaveLength(2);
    dropPoint();
    await settle();
    await settle();
    expect(sent.at(-1)).toMatchObject({ cancel: true });
    expect(shaping.getState().points).toEqual([]);
  });

  it("does not begin where nothing can be painted", () => {
    workshop.setState({
      project: {
        ...project,
        document: { ...project.document, sheets: [{ ...project.document.sheets[0], layers: [{ ...layer, locked: true }] }] },
      } as unknown as ProjectState,
    });
    expect(beginShape("solid", [0, 0, 0], camera)).toBe(false);
    expect(messages.getState().shown?.text).toContain("locked");
  });
});

describe("what a stroke lays", () => {
  it("carries both colours, the blend mode and the limits that are on", () => {
    workshop.setState({
      registries: {
        tools: [
          { id: "brush", stroke: "paint" },
          { id: "smear", stroke: "smear" },
        ],
      } as never,
    });
    const confine = { ...workshop.getState().confine, relief: 0.5 };
    workshop.setState({
      tool: "brush",
      colours: [
        [1, 0, 0],
        [0, 0, 1],
      ],
      blend: "screen",
      confine,
      confined: true,
    });
    expect(currentPaint(false)).toMatchObject({
      values: { base_color: [1, 0, 0] },
      second: { base_color: [0, 0, 1] },
      blend: "screen",
      confine: { relief: 0.5 },
    });
    expect(currentPaint(false, true).values.base_color).toEqual([0, 0, 1]);
    workshop.setState({ confined: false, tool: "smear", reads: "layer" });
    expect(currentPaint(false)).toMatchObject({ tool: "smear", reads: "layer", blend: "normal", confine: { relief: 0 } });
    workshop.setState({ confined: true, blend: "normal", confine: { ...confine, relief: 0 } });
  });
});

describe("a lasso", () => {
  it("asks for what it holds and keeps it under a name that replaces itself", async () => {
    const pick: FacePick = { by: "face", index: 3 };
    startOutline("solid", [1, 1], false);
    workshop.setState({ fillBy: "box" });
    extendOutline([9, 5]);
    expect(outline.getState().now?.points).toEqual([
      [1, 1],
      [9, 1],
      [9, 5],
      [1, 5],
    ]);
    // Without views nothing is asked.
    await endOutline(camera, 256);
    expect(outline.getState().now).toBeNull();
    workshop.setState({ picked: [pick] });
    const edits: unknown[] = [];
    vi.spyOn(api, "edit").mockImplementation((_uid, _revision, label, change) => {
      edits.push([label, change]);
      return Promise.resolve({
        ...project,
        document: { ...project.document, face_sets: (change as { face_sets: unknown[] }).face_sets },
      } as unknown as ProjectState);
    });
    await keepPicked("Lid");
    workshop.setState({ picked: [{ by: "part", index: 0 }] });
    await keepPicked("Lid");
    expect(edits).toEqual([
      ["Keep the face group Lid", { edit: "set-face-sets", face_sets: [{ id: "f1", name: "Lid", picks: [pick] }] }],
      ["Replace the face group Lid", { edit: "set-face-sets", face_sets: [{ id: "f1", name: "Lid", picks: [{ by: "part", index: 0 }] }] }],
    ]);
  });
});
