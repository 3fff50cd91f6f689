/** The server's API. Every failure becomes an ApiError whose text can be shown. */
import { busy } from "./idle";
import type {
  AdjustPreset,
  MeasureAnswer,
  VariantsAnswer,
  Difference,
  Landed,
  LastExport,
  MapCheck,
  MapFinding,
  MendBody,
  TakeOut,
  Trip,
  ArrivedHeader,
  BakeEstimate,
  BakeRequest,
  BakeSettings,
  Camera,
  ColourGroupsBody,
  DisplayHeader,
  Edit,
  ExportBody,
  ExportPlan,
  ExportPreset,
  FacePick,
  GeometryHeader,
  Gradient,
  History,
  Job,
  ModelFacts,
  Paint,
  PairTable,
  Placement,
  Probe,
  ProbeBody,
  ProjectCard,
  ProjectState,
  Readiness,
  Registries,
  SheetGeometry,
  ShellHeader,
  StrokeHeader,
  StrokeMessage,
  Suspect,
  Target,
  LevelBody,
  TransferLoss,
  UnwrapSettings,
} from "./types";

export class ApiError extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

const LOST = "The server does not answer. Your stored work is safe; start Ruvelt again and this window goes on.";

async function send(path: string, init: RequestInit = {}): Promise<Response> {
  const done = busy();
  try {
    const response = await fetch(`/api${path}`, init).catch(() => {
      throw new ApiError(LOST, 0);
    });
    if (!response.ok) {
      const told = (await response.json().catch(() => null)) as { error?: string } | null;
      throw new ApiError(told?.error ?? `The server answered ${response.status}. Try again.`, response.status);
    }
    return response;
  } finally {
    done();
  }
}

function body(content: unknown, method = "POST"): RequestInit {
  return { method, headers: { "Content-Type": "application/json" }, body: JSON.stringify(content) };
}

let tell: (text: string) => void = () => undefined;
/** Who passes on what the server has to say of what was sent. */
export function onTold(listener: (text: string) => void): void {
  tell = listener;
}

async function json<T>(path: string, init?: RequestInit): Promise<T> {
  const response = await send(path, init);
  const done = busy();
  const told = response.headers.get("Ruvelt-Told");
  if (told) tell(decodeURIComponent(told));
  try {
    return (await response.json()) as T;
  } finally {
    done();
  }
}

/** A JSON header and the raw bytes after it. */
export interface Binary<H> {
  header: H;
  bytes: Uint8Array;
}

async function binary<H>(path: string, init?: RequestInit): Promise<Binary<H>> {
  const response = await send(path, init);
  const done = busy();
  try {
    const buffer = await response.arrayBuffer();
    const length = new DataView(buffer).getUint32(0, true);
    const header = JSON.parse(new TextDecoder().decode(new Uint8Array(buffer, 4, length))) as H;
    return { header, bytes: new Uint8Array(buffer, 4 + length) };
  } finally {
    done();
  }
}

const project = (uid: string): string => `/projects/${encodeURIComponent(uid)}`;

export const api = {
  registries: () => json<Registries>("/registries"),
  readiness: () => json<Readiness>("/readiness"),
  projects: async () => (await json<{ projects: ProjectCard[] }>("/projects")).projects,
  create: (form: FormData) => json<Job>("/projects", { method: "POST", body: form }),
  /** A copy of a project that cannot be opened, set back to its last good state. */
  recover: async (uid: string) => (await json<{ project: string }>(`${project(uid)}/recover`, body({}))).project,
  paintOnUvSet: (uid: string, revision: number, number: number) => json<ProjectState>(`${project(uid)}/uv-set`, body({ number, revision })),
  keepUndo: (uid: string, steps: number) => json<ProjectState>(`${project(uid)}/keep-undo`, body({ steps })),
  state: (uid: string) => json<ProjectState>(project(uid)),
  revision: async (uid: string) => (await json<{ revision: number }>(`${project(uid)}/revision`)).revision,
  rename: (uid: string, name: string) => json<ProjectState>(project(uid), body({ name }, "PATCH")),
  remove: (uid: string) => json<unknown>(project(uid), { method: "DELETE" }),
  model: (uid: string) => json<ModelFacts>(`${project(uid)}/model`),
  geometry: (uid: string) => json<GeometryHeader>(`${project(uid)}/geometry`),
  /** One sheet's triangles; null: those of a model that has no sheets. */
  sheetGeometry: (uid: string, sheet: string | null) =>
    binary<SheetGeometry>(`${project(uid)}/${sheet === null ? "bare-geometry" : `geometry/${encodeURIComponent(sheet)}`}`),
  /** The same as they would be after an edit that is not taken, as far as a view shows them. */
  tryDisplay: (uid: string, sheet: string, textures: string[], have: Record<string, string[]>, edit: Edit, camera: Camera | null) =>
    binary<DisplayHeader>(`${project(uid)}/display`, body({ sheet, textures, have, edit, camera })),
  maskPictures: async (uid: string, sheet: string, layer: string, edit: Edit | null) =>
    (await json<{ pictures: Record<string, string> }>(`${project(uid)}/mask-pictures`, body({ sheet, layer, edit }))).pictures,
  copyMask: (uid: string, revision: number, sheet: string, source: string, layer: string) =>
    json<ProjectState>(`${project(uid)}/copy-mask`, body({ revision, sheet, source, layer })),
  bringImage: async (uid: string, form: FormData) => (await json<{ image: string }>(`${project(uid)}/images`, { method: "POST", body: form })).image,
  display: (uid: string, sheet: string, textures: string[], have: Record<string, string[]>) =>
    binary<DisplayHeader>(`${project(uid)}/display`, body({ sheet, textures, have })),
  stroke: (uid: string, message: StrokeMessage) => binary<StrokeHeader>(`${project(uid)}/stroke`, body(message)),
  edit: (uid: string, revision: number, label: string, edit: Edit) => json<ProjectState>(`${project(uid)}/edit`, body({ revision, label, edit })),
  undo: (uid: string) => json<ProjectState>(`${project(uid)}/undo`, body({})),
  redo: (uid: string) => json<ProjectState>(`${project(uid)}/redo`, body({})),
  hide: (uid: string, parts: number[], hidden: FacePick[] = [], shown: FacePick[] = []) =>
    json<ProjectState>(`${project(uid)}/hidden`, body({ parts, hidden, shown })),
  hiddenFaces: (uid: string) => json<{ runs: number[] }>(`${project(uid)}/hidden-faces`),
  histogram: async (uid: string, sheet: string, layer: string, channel: string, camera: Camera | null, picks: FacePick[] | null) =>
    (await json<{ bins: number[][] }>(`${project(uid)}/histogram`, body({ sheet, layer, channel, camera, picks }))).bins,
  colourBeneath: async (uid: string, sheet: string, layer: string, camera: Camera | null, points: [number, number][]) =>
    (await json<{ colour: [number, number, number] }>(`${project(uid)}/colour-beneath`, body({ sheet, layer, camera, points }))).colour,
  measure: (uid: string, sheet: string, layer: string, goal: { goal_layer: string } | { goal_picture: string }) =>
    json<MeasureAnswer>(`${project(uid)}/measure`, body({ sheet, layer, ...goal })),
  catchMask: async (uid: string, revision: number, sheet: string, layer: string, range: string) =>
    (await json<{ layer: string }>(`${project(uid)}/catch-mask`, body({ revision, sheet, layer, range }))).layer,
  catchGroup: (uid: string, revision: number, sheet: string, layer: string, range: string) =>
    json<ProjectState>(`${project(uid)}/catch-group`, body({ revision, sheet, layer, range })),
  mergeDown: async (uid: string, revision: number, sheet: string, layer: string) =>
    (await json<{ layer: string }>(`${project(uid)}/merge-down`, body({ revision, sheet, layer }))).layer,
  adjustPresets: async () => (await json<{ presets: AdjustPreset[] }>("/adjustment-presets")).presets,
  keepAdjustPreset: async (preset: AdjustPreset) => (await json<{ presets: AdjustPreset[] }>("/adjustment-presets", body(preset))).presets,
  forgetAdjustPreset: async (id: string) =>
    (await json<{ presets: AdjustPreset[] }>(`/adjustment-presets/${encodeURIComponent(id)}`, { method: "DELETE" })).presets,
  showVariant: (uid: string, variant: string | null) => json<ProjectState>(`${project(uid)}/variants/show`, body({ variant })),
  variants: (uid: string) => json<VariantsAnswer>(`${project(uid)}/variants`),
  variantLook: async (uid: string, variant: string | null) =>
    (await json<{ picture: string }>(`${project(uid)}/variants/look`, body({ variant }))).picture,
  variantAsProject: async (uid: string, variant: string | null, name: string) =>
    (await json<{ uid: string }>(`${project(uid)}/variants/as-project`, body({ variant, name }))).uid,
  trips: async (uid: string) => (await json<{ trips: Trip[] }>(`${project(uid)}/outside`)).trips,
  takeOut: (uid: string, wanted: TakeOut) => json<Trip>(`${project(uid)}/outside`, body(wanted)),
  lookAtTrip: (uid: string, trip: string, scaled: boolean, material: number | null) =>
    json<Difference>(`${project(uid)}/outside/${trip}/look`, body({ scaled, material })),
  landTrip: (uid: string, trip: string, scaled: boolean, material: number | null) =>
    json<Landed>(`${project(uid)}/outside/${trip}/land`, body({ scaled, material })),
  putTripFile: async (uid: string, trip: string, form: FormData) =>
    (await json<{ trips: Trip[] }>(`${project(uid)}/outside/${trip}/file`, { method: "POST", body: form })).trips,
  forgetTrip: async (uid: string, trip: string) => (await json<{ trips: Trip[] }>(`${project(uid)}/outside/${trip}`, { method: "DELETE" })).trips,
  duplicate: (uid: string, revision: number, sheet: string, layer: string, toSheet: string | null = null) =>
    json<{ layer: string }>(`${project(uid)}/duplicate`, body({ revision, sheet, layer, to_sheet: toSheet })),
  flood: (
    uid: string,
    revision: number,
    target: Target,
    paint: Paint,
    picks: FacePick[] | null,
    strength: number,
    gradient: Gradient | null = null,
  ) => json<ProjectState>(`${project(uid)}/flood`, body({ revision, target, paint, picks, strength, gradient })),
  lasso: (uid: string, where: { camera: Camera } | { sheet: string }, outline: [number, number][], behind: boolean) =>
    json<{ picks: FacePick[]; faces: number[] }>(`${project(uid)}/lasso`, body({ ...where, outline, behind })),
  probe: (uid: string, at: ProbeBody) => json<Probe>(`${project(uid)}/probe`, body(at)),
  cells: (uid: string, sheet: string) => json<{ cells: Record<string, string>; waiting: Record<string, string[]> }>(`${project(uid)}/cells/${sheet}`),
  history: (uid: string) => json<History>(`${project(uid)}/history`),
  addVersion: (uid: string, name: string) => json<unknown>(`${project(uid)}/versions`, body({ name })),
  restore: (uid: string, version: number) => json<ProjectState>(`${project(uid)}/versions/${version}/restore`, body({})),
  resolution: (uid: string, sheet: string, resolution: number) => json<Job>(`${project(uid)}/resolution`, body({ sheet, resolution })),
  pictureLayer: (uid: string, sheet: string, form: FormData) =>
    json<{ layer: string }>(`${project(uid)}/picture-layer/${sheet}`, { method: "POST", body: form }),
  bringNormalMap: (uid: string, sheet: string, form: FormData) =>
    json<ProjectState>(`${project(uid)}/normal-map/${sheet}`, { method: "POST", body: form }),
  dropNormalMap: (uid: string, sheet: string) => json<ProjectState>(`${project(uid)}/normal-map/${sheet}`, { method: "DELETE" }),
  colourGroups: (uid: string, revision: number, wanted: Omit<ColourGroupsBody, "revision">) =>
    json<ProjectState>(`${project(uid)}/colour-groups`, body({ revision, ...wanted })),
  stairs: (uid: string, sheet: string) => json<{ count: number; faces: number[] }>(`${project(uid)}/stairs/${sheet}`),
  unpainted: (uid: string, sheet: string) => json<{ covered: number; unpainted: number; faces: number[] }>(`${project(uid)}/unpainted/${sheet}`),
  script: async (uid: string, since: number) => (await send(`${project(uid)}/script?since=${since}`)).text(),
  replay: (uid: string, script: string) =>
    json<Job>(`${project(uid)}/replay`, { method: "POST", headers: { "Content-Type": "application/json" }, body: script }),
  addVertexPaint: (uid: string, revision: number, parts: number[]) => json<ProjectState>(`${project(uid)}/vertex-paint`, body({ revision, parts })),
  removeVertexPaint: (uid: string, revision: number) => json<ProjectState>(`${project(uid)}/vertex-paint/remove`, body({ revision })),
  transfer: (uid: string, from_sheet: string, to_sheet: string, flat: boolean) =>
    json<Job>(`${project(uid)}/transfer`, body({ from_sheet, to_sheet, flat })),
  transferPreview: (uid: string, from_sheet: string, to_sheet: string) =>
    json<Job>(`${project(uid)}/transfer/preview`, body({ from_sheet, to_sheet })),
  transferLoss: (uid: string, from_sheet: string, to_sheet: string) =>
    json<TransferLoss>(`${project(uid)}/transfer/loss`, body({ from_sheet, to_sheet })),
  level: (uid: string, level: LevelBody) => json<Job>(`${project(uid)}/level`, body(level)),
  swapMesh: (uid: string, form: FormData) => json<Job>(`${project(uid)}/mesh`, { method: "POST", body: form }),
  unwrap: (uid: string, resolution: number, settings: UnwrapSettings) => json<Job>(`${project(uid)}/unwrap`, body({ resolution, settings })),
  pack: (uid: string, padding: number) => json<Job>(`${project(uid)}/pack`, body({ padding })),
  place: (uid: string, revision: number, placement: Partial<Placement> & { islands: number[] }) =>
    json<ProjectState>(`${project(uid)}/islands`, body({ revision, placement })),
  markSeam: (uid: string, revision: number, at: ProbeBody, loop: boolean) =>
    json<ProjectState>(`${project(uid)}/seams`, body({ ...at, revision, loop })),
  seamLines: async (uid: string) => (await json<{ lines: number[][] }>(`${project(uid)}/seams`)).lines,
  bringHigh: (uid: string, form: FormData) => json<Job>(`${project(uid)}/high`, { method: "POST", body: form }),
  dropHigh: (uid: string, key: string) => json<ProjectState>(`${project(uid)}/high/${key}`, { method: "DELETE" }),
  bringCage: (uid: string, form: FormData) => json<Job>(`${project(uid)}/cage`, { method: "POST", body: form }),
  dropCage: (uid: string) => json<ProjectState>(`${project(uid)}/cage`, { method: "DELETE" }),
  pairs: (uid: string, settings: BakeSettings) => json<PairTable>(`${project(uid)}/pairs`, body(settings)),
  shell: (uid: string, sheet: string, settings: BakeSettings) => binary<ShellHeader>(`${project(uid)}/cage/shell`, body({ sheet, settings })),
  beginStraight: (uid: string, revision: number, sheet: string) =>
    json<ProjectState>(`${project(uid)}/maps/${encodeURIComponent(sheet)}/straight`, body({ revision })),
  bake: (uid: string, request: BakeRequest) => json<Job>(`${project(uid)}/bake`, body(request)),
  estimate: (uid: string, request: BakeRequest) => json<BakeEstimate>(`${project(uid)}/bake/estimate`, body(request)),
  arrived: (uid: string, sheet: string, map: string, after: number) =>
    binary<ArrivedHeader>(`${project(uid)}/bake/arrived`, body({ sheet, map, after })),
  mapPictures: async (uid: string, sheet: string) => (await json<{ cells: Record<string, string> }>(`${project(uid)}/maps/${sheet}`)).cells,
  touchUp: (uid: string, revision: number, sheet: string, map: string, on: boolean) =>
    json<ProjectState>(`${project(uid)}/maps/${sheet}/${map}/touch-up`, body({ revision, on })),
  dropMap: (uid: string, sheet: string, map: string) => json<ProjectState>(`${project(uid)}/maps/${sheet}/${map}`, { method: "DELETE" }),
  bringMap: (uid: string, sheet: string, map: string, form: FormData) =>
    json<ProjectState>(`${project(uid)}/maps/${sheet}/${map}/picture`, { method: "POST", body: form }),
  suspects: async (uid: string) => (await json<{ suspects: Suspect[] }>(`${project(uid)}/suspects`)).suspects,
  job: (id: string) => json<Job>(`/jobs/${id}`),
  cancelJob: (id: string) => json<Job>(`/jobs/${id}/cancel`, body({})),
  presets: async () => (await json<{ presets: ExportPreset[] }>("/presets")).presets,
  savePreset: async (preset: ExportPreset) => (await json<{ presets: ExportPreset[] }>("/presets", body(preset))).presets,
  deletePreset: async (id: string) => (await json<{ presets: ExportPreset[] }>(`/presets/${id}`, { method: "DELETE" })).presets,
  exportMaps: (uid: string, wish: ExportBody) => json<Job>(`${project(uid)}/exports`, body(wish)),
  mapChecks: async () => (await json<{ checks: MapCheck[] }>("/checks")).checks,
  checkMaps: (uid: string, preset: ExportPreset, sheets: string[] | null) => json<Job>(`${project(uid)}/checks`, body({ preset, sheets })),
  findings: async (job: string) => (await json<{ findings: MapFinding[] }>(`/jobs/${job}/findings`)).findings,
  mend: (uid: string, wish: MendBody) => json<ProjectState>(`${project(uid)}/mends`, body(wish)),
  exportPlan: (uid: string, wish: ExportBody) => json<ExportPlan>(`${project(uid)}/export-plan`, body(wish)),
  lastExport: (uid: string) => json<{ last: LastExport | null }>(`${project(uid)}/exports/last`),
  exportAgain: (uid: string, over: boolean) => json<Job>(`${project(uid)}/exports/last`, body({ over })),
  preview: async (uid: string, preset: ExportPreset, sheet: string, map: string) =>
    URL.createObjectURL(await (await send(`${project(uid)}/map-preview`, body({ preset, sheet, map }))).blob()),
};

/** Follow a job to its end; resolves with it done, rejects when it failed. */
export async function followJob(job: Job, tell: (job: Job) => void): Promise<Job> {
  const done = busy();
  try {
    let now = job;
    while (now.state === "running") {
      tell(now);
      await new Promise((wake) => setTimeout(wake, 150));
      now = await api.job(now.id);
    }
    tell(now);
    if (now.state === "failed") throw new ApiError(now.error ?? "The job failed.", 400);
    return now;
  } finally {
    done();
  }
}
