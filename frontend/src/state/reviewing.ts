/** Checks of finished work: what was found, what is looked at, and what puts it right. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { BakeRequest, MapCheck, MapFinding, MendBody } from "../api/types";
import { attempt } from "./attempt";
import { runJob, take } from "./edits";
import { changePreset, exporting, presetNow, sheetsNow } from "./exporting";
import { refresh, sync } from "./following";
import { chooseSheet } from "./hand";
import { say } from "./messages";
import { theStage } from "./stage";
import { workshop } from "./workshop";

/** How the views are seen: as they are, grey, or by eyes with one kind of cone less. */
export type Seeing = "" | "grey" | "protan" | "deutan" | "tritan";

interface ReviewState {
  checks: readonly MapCheck[];
  /** null: not checked yet. */
  findings: readonly MapFinding[] | null;
  /** Revision that was checked; findings of an older one may be out of date. */
  revision: number | null;
  chosen: number | null;
  seeing: Seeing;
}

const start = { findings: null, revision: null, chosen: null };
export const reviewing = createStore<ReviewState>(() => ({ checks: [], seeing: "", ...start }));
const { getState: get, setState: set } = reviewing;

export async function loadChecks(): Promise<void> {
  if (get().checks.length) return;
  const checks = await attempt(() => api.mapChecks());
  if (checks) set({ checks });
}

/** Check the sheets that are written, as the chosen preset writes them. Returns the number of warnings, null where it failed. */
export async function checkNow(): Promise<number | null> {
  const { uid, project } = workshop.getState();
  const preset = presetNow();
  if (!uid || !project || !preset) return null;
  const sheets = sheetsNow().map((s) => s.id);
  const job = await runJob(() => api.checkMaps(uid, preset, exporting.getState().sheetsOff.size ? sheets : null));
  if (job?.state !== "done") return null;
  const findings = await attempt(() => api.findings(job.id));
  if (!findings) return null;
  set({ findings, revision: project.revision, chosen: null });
  workshop.setState({ highlight: null });
  return findings.filter((f) => f.level === "warns").length;
}

/** The views go to a finding and mark its faces. */
export function lookAtFinding(index: number): void {
  const found = get().findings?.[index];
  if (!found) return;
  set({ chosen: index });
  chooseSheet(found.sheet);
  const channel = found.map && workshop.getState().project?.document.channels.some((c) => c.id === found.map);
  if (channel) workshop.setState({ channel: found.map });
  workshop.setState({ highlight: found.faces.length ? new Set(found.faces) : null });
  if (found.look) theStage()?.goTo(found.look);
}

/** Put a finding right, and check again. */
export async function mend(found: MapFinding): Promise<void> {
  if (!found.mend) return;
  const { id, values } = found.mend;
  if (id === "pad") {
    changePreset({
      around: values["around"] as "pixels" | "everything",
      ...(values["padding"] === undefined ? {} : { padding: Number(values["padding"]) }),
    });
    say("The preset pads more now; the export writes it.");
  } else if (id === "smaller") {
    const preset = presetNow();
    const size = Number(values["size"]) as 256 | 512 | 1024 | 2048 | 4096;
    const own = { ...preset?.overrides?.[found.sheet], off: preset?.overrides?.[found.sheet]?.off ?? [], size };
    changePreset({ overrides: { ...preset?.overrides, [found.sheet]: { bits: null, format: null, padding: null, ...own } } });
    say(`${found.sheet_name} is written at ${size} now.`);
  } else if (id === "rebake") {
    if (!(await bakeAgain(found))) return;
  } else {
    const wish = {
      mend: id as MendBody["mend"],
      sheet: found.sheet,
      channel: String(values["channel"] ?? "base_color"),
      low: Number(values["low"] ?? 0),
      high: Number(values["high"] ?? 255),
    };
    if (!(await take((of, revision) => api.mend(of, { ...wish, revision })))) return;
    await sync();
  }
  await checkNow();
}

/** Bake what the finding names again, with more rays or a wider search and all else as it was. */
async function bakeAgain(found: MapFinding): Promise<boolean> {
  const { uid, project } = workshop.getState();
  const baked = project?.document.sheets
    .find((s) => s.id === found.sheet)
    ?.mesh_maps.filter((m) => ["high", "model", "normal-map"].includes(m.source));
  const named = found.mend?.values["map"];
  const maps = baked?.filter((m) => named === undefined || m.id === named) ?? [];
  const first = maps[0];
  if (!uid || !first) return false;
  const before = first.settings as BakeRequest["settings"];
  const wider = Number(found.mend?.values["wider"] ?? 1);
  const reach = (value: unknown): number => Math.min(1, Number(value ?? 0.02) * wider);
  const rays = found.mend?.values["rays"];
  const settings = { ...before, front: reach(before?.front), back: reach(before?.back), ...(rays === undefined ? {} : { rays: Number(rays) }) };
  const wish = { maps: maps.map((m) => m.id), sheets: [found.sheet], source: first.source, settings } as BakeRequest;
  const job = await runJob(() => api.bake(uid, wish));
  await refresh();
  await sync();
  return job?.state === "done";
}

workshop.subscribe((now, before) => {
  if (now.uid !== before.uid) set(start);
});
