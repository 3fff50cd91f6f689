/** The open project in the browser: what the server said last, and what the person has chosen. */
import { createStore } from "zustand/vanilla";
import type { Brush, Confine, FacePick, Gradient, Job, ModelFacts, Paint, ProjectState, Registries, Target } from "../api/types";
import type { ViewMode } from "./textureNames";

/** A hand tool by its id; the server lists them. */
export type Tool = string;
export type Tone = Required<NonNullable<Paint["tone"]>>;
export type SmearSettings = Required<NonNullable<Paint["smear"]>>;
export type RGB = [number, number, number];

/** Where clone reads. `anchor`: what lies under the first dab reads from there; a moving source keeps it between strokes. */
export interface CloneSource {
  source: [number, number, number];
  anchor: [number, number, number] | null;
}

export interface Recording {
  since: number;
}

export interface WorkshopState {
  uid: string | null;
  project: ProjectState | null;
  model: ModelFacts | null;
  registries: Registries | null;
  cells: Record<string, string>;
  sheet: string | null;
  target: Target | null;
  tool: Tool;
  /** Values of tools' own sliders, by tool. */
  toolSettings: Record<string, Record<string, number>>;
  brush: Brush;
  /** The two colours; with a mask target its two values take their place. */
  colours: [RGB, RGB];
  maskValues: [number, number];
  other: boolean;
  values: Record<string, number[]>;
  fillBy: string;
  fillStrength: number;
  mode: ViewMode;
  channel: string;
  lightDeg: number;
  wire: boolean;
  highlight: ReadonlySet<number> | null;
  /** Faces that do not show, beside hidden parts; null where all do. */
  hiddenFaces: ReadonlySet<number> | null;
  /** How far the model is unfolded into its layout, 0–1. */
  unfold: number;
  storedAt: number | null;
  lost: boolean;
  lastStroke: { ms: number; chunks: number } | null;
  job: Job | null;
  recording: Recording | null;
  clone: CloneSource | null;
  cloneMoves: boolean;
  softenReach: number;
  smear: SmearSettings;
  /** What soften, clone and tone look at: the channel as it looks, or what the target itself holds. */
  reads: "all" | "layer";
  tone: Tone;
  /** How brush, line, stamp and fill meet what is there. */
  blend: string;
  confine: Confine;
  /** Whether what confine holds is used. */
  confined: boolean;
  /** The brush before the last change of tip or settings as a whole. */
  lastBrush: Brush | null;
  /** How far a gradient fill has come: its two ends, object space. */
  gradient: Gradient | null;
  /** Faces that a box or lasso or press gathered. */
  picked: FacePick[];
  /** Search distances of a bake, shown around the model as shares of its diagonal. */
  /** Whether the view shows how far a bake searches. */
  shell: boolean;
  /** Whether a press on the Model screen marks edges. */
  seaming: boolean;
  /** The island chosen on the Model screen. */
  island: number | null;
  /** Texels per object unit on it, and on the other islands of its sheet if there are any. */
  density: { own: number; others: number | null } | null;
  /** The next layout to arrive has the same islands. */
  placing: boolean;
  /** A mask shown in colour over the lit model, as "mask:LAYER". */
  over: string | null;
  /** The sheet of the mask that is looked at; layers of another sheet may go by the same id. */
  maskSheet: string | null;
  /** Mask steps by layer that wait for a map, a picture, a layer or a colour. */
  waiting: Record<string, string[]>;
  /** Whether suspect texels are marked in the views. */
  suspects: boolean;
}

export const START: Omit<WorkshopState, "registries"> = {
  uid: null,
  project: null,
  model: null,
  cells: {},
  sheet: null,
  target: null,
  tool: "brush",
  toolSettings: {},
  brush: {
    size: 40,
    size_unit: "view",
    strength: 1,
    flow: 0.6,
    hardness: 0.5,
    spacing: 0.12,
    steadying: 0,
    angle: 0,
    roundness: 1,
    jitter_place: 0,
    jitter_size: 0,
    jitter_angle: 0,
    jitter_strength: 0,
    pressure_size: { on: true, low: 0.1, gamma: 1 },
    pressure_flow: { on: false, low: 0.1, gamma: 1 },
    pressure_strength: { on: false, low: 0.1, gamma: 1 },
    jitter_hue: 0,
    jitter_saturation: 0,
    jitter_value: 0,
    facing_deg: 90,
    back: false,
    depth: 0,
    tips: [],
    flip: "none",
    follow: false,
    build: "flow",
    spray: 1,
    grain: { picture: null, size: 0.05, depth: 0.8, fixed: "surface" },
    mix: { mode: "none", length: 6 },
    facing: true,
    mirror: { x: false, y: false, z: false, around: 1, axis: "y" },
    seed: 1,
  },
  colours: [
    [0.545, 0.259, 0.204],
    [0.718, 0.62, 0.447],
  ],
  maskValues: [1, 0],
  other: false,
  values: { roughness: [0.5], metallic: [0], height: [0.15], opacity: [1], occlusion: [1] },
  fillBy: "part",
  fillStrength: 1,
  mode: "lit",
  channel: "base_color",
  lightDeg: 40,
  wire: true,
  highlight: null,
  hiddenFaces: null,
  unfold: 0,
  storedAt: null,
  lost: false,
  lastStroke: null,
  job: null,
  recording: null,
  clone: null,
  cloneMoves: true,
  softenReach: 0.35,
  smear: { mode: "mix", wetness: 0 },
  reads: "all",
  tone: { change: "lighten", range: "all", amount: 0.3, degrees: 30, colour: [0.5, 0.5, 0.5] },
  blend: "normal",
  confine: {
    relief: 0,
    softness: 0.5,
    relief_from: "mesh",
    raised: 0,
    picks: [],
    part: false,
    colours: [],
    ids: [],
    colours_from: "beneath",
    tolerance: 0.08,
    colour_softness: 0.08,
    caught: null,
  },
  confined: true,
  lastBrush: null,
  gradient: null,
  picked: [],
  shell: false,
  seaming: false,
  island: null,
  density: null,
  placing: false,
  over: null,
  maskSheet: null,
  waiting: {},
  suspects: false,
};

export const workshop = createStore<WorkshopState>(() => ({ ...START, registries: null }));
