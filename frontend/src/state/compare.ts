/** Looks beside what is: before a change, by a key or a line, and the variants side by side. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import { busy } from "../api/idle";
import type { Edit } from "../api/types";
import { wantedTextures } from "./following";
import { findLayer, findSheet, layerEdit, rows } from "./layers";
import { say } from "./messages";
import { theStage } from "./stage";
import { workshop } from "./workshop";

export const BEFORE = "before";

interface CompareState {
  /** Where the line between before and after lies, a share of the view's width; null without one. */
  split: number | null;
  held: boolean;
  /** What "before" leaves out, for people. */
  without: string;
  /** Variants whose live views are open, "" the base. */
  open: readonly string[];
}

export const compare = createStore<CompareState>(() => ({ split: null, held: false, without: "", open: [] }));
const { getState: get, setState: set } = compare;

/** What is left out before: the target's adjustment, else the variant that shows, else all adjustments of the sheet. */
function beforeEdit(): { edit: Edit; without: string } | null {
  const { project, target, sheet } = workshop.getState();
  if (!project) return null;
  const home = target ? findSheet(project.document, target.sheet) : undefined;
  const layer = target ? findLayer(home, target.layer) : undefined;
  if (home && layer?.kind === "adjust") return { edit: layerEdit(home.id, layer.id, { visible: false }), without: layer.name };
  const shown = project.document.variants?.find((v) => v.id === project.document.showing);
  if (shown) return { edit: { edit: "show-variant", variant: null }, without: `variant ${shown.name}` };
  const here = sheet ? findSheet(project.document, sheet) : undefined;
  const adjustments = here ? rows(here).filter(({ layer: l }) => l.kind === "adjust") : [];
  const edits = adjustments.map(({ layer: l }) => layerEdit(here?.id ?? "", l.id, { visible: false }));
  return edits.length ? { edit: { edit: "batch", edits } as Edit, without: "adjustments" } : null;
}

/** Bring a look up to date: only what differs from what is comes over. */
async function fetchLook(name: string, change: Edit): Promise<boolean> {
  const { uid, project } = workshop.getState();
  const stage = theStage();
  if (!uid || !project || !stage) return false;
  const done = busy();
  try {
    for (const sheet of project.document.sheets.filter((s) => stage.has(s.id))) {
      const textures = stage.textures(sheet.id, sheet.resolution);
      const names = wantedTextures(sheet).filter((n) => !n.startsWith("channel:catch:") && !n.startsWith("channel:mask:"));
      const answer = await api.tryDisplay(uid, sheet.id, names, Object.fromEntries(names.map((n) => [n, textures.get(n).versions])), change, null);
      if (theStage() !== stage || workshop.getState().uid !== uid) return false;
      const tiles = new Map(
        names.map((n) => [
          n,
          answer.header.tiles
            .filter((t) => t.texture === n)
            .map((t) => ({ chunk: t.chunk, version: t.version, data: answer.bytes.subarray(t.offset, t.offset + t.length) })),
        ]),
      );
      stage.putLook(name, sheet.id, tiles);
    }
    return true;
  } catch (error) {
    say((error as Error).message, true);
    return false;
  } finally {
    done();
  }
}

async function showBefore(): Promise<void> {
  const found = beforeEdit();
  if (!found) {
    set({ split: null, held: false });
    theStage()?.setSplit(null, 0);
    return say("There is no adjustment here and no variant shows, so before is as it is now.");
  }
  set({ without: found.without });
  if (!(await fetchLook(BEFORE, found.edit))) return;
  const { held, split } = get();
  theStage()?.setSplit(held || split !== null ? BEFORE : null, held ? 1 : (split ?? 0));
}

/** As long as a key is held, both views show how it was before. */
export function holdBefore(): void {
  if (get().held) return;
  set({ held: true });
  void showBefore();
}

export function letGoBefore(): void {
  if (!get().held) return;
  set({ held: false });
  const { split } = get();
  theStage()?.setSplit(split === null ? null : BEFORE, split ?? 0);
  if (split === null) theStage()?.dropLook(BEFORE);
}

export function toggleSplit(): void {
  const split = get().split === null ? 0.5 : null;
  set({ split });
  if (split !== null) return void showBefore();
  theStage()?.setSplit(null, 0);
  theStage()?.dropLook(BEFORE);
}

export function moveSplit(share: number): void {
  const split = Math.min(1, Math.max(0, share));
  set({ split });
  theStage()?.setSplit(BEFORE, split);
}

/** The variants that have live views; the one that shows needs no look of its own. */
export function openViews(open: readonly string[]): void {
  for (const gone of get().open) if (!open.includes(gone)) theStage()?.dropLook(lookOf(gone));
  set({ open });
  void followViews();
}

export function lookOf(variant: string): string {
  return `variant:${variant}`;
}

let following = false;
let again = false;

async function followViews(): Promise<void> {
  if (following) {
    again = true;
    return;
  }
  following = true;
  try {
    do {
      again = false;
      for (const variant of get().open) {
        const showing = workshop.getState().project?.document.showing ?? "";
        if (variant !== showing) await fetchLook(lookOf(variant), { edit: "show-variant", variant: variant || null });
      }
    } while (again);
  } finally {
    following = false;
  }
}

let revision: number | undefined;

/** Called once the views are as the project is: looks are told by what differs from them. */
export function afterSync(): void {
  const now = workshop.getState().project?.revision;
  if (now === revision) return;
  revision = now;
  if (get().split !== null || get().held) void showBefore();
  if (get().open.length) void followViews();
}

workshop.subscribe((now, before) => {
  if (now.uid !== before.uid) {
    revision = undefined;
    set({ split: null, held: false, open: [] });
  } else if (get().split !== null && (now.target?.layer !== before.target?.layer || now.mode !== before.mode || now.channel !== before.channel)) {
    void showBefore();
  }
});
