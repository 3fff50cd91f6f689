/** What changes the project by one request. */
import { api, followJob } from "../api/client";
import type { Edit, FacePick, Job, ProjectState } from "../api/types";
import { attempt } from "./attempt";
import { accept, refresh } from "./following";
import { findSheet } from "./layers";
import { say } from "./messages";
import { theSender } from "./sender";
import { cancelStroke } from "./strokes";
import { workshop } from "./workshop";

const { getState: get, setState: set } = workshop;

export async function edit(label: string, change: Edit): Promise<boolean> {
  const { uid, project } = get();
  if (!uid || !project) return false;
  const answer = await attempt(() => api.edit(uid, project.revision, label, change));
  if (answer) accept(answer);
  return answer !== null;
}

export async function undo(): Promise<void> {
  const { uid } = get();
  if (theSender()?.running) return cancelStroke();
  const answer = uid && (await attempt(() => api.undo(uid)));
  if (answer) accept(answer);
}

export async function redo(): Promise<void> {
  const { uid } = get();
  const answer = uid && (await attempt(() => api.redo(uid)));
  if (answer) accept(answer);
}

export async function hideParts(parts: number[]): Promise<void> {
  await hide(parts, get().project?.document.hidden_picks ?? [], get().project?.document.shown_picks ?? []);
}

/** Hide parts and picked faces beside them; with `shown` all others but those. */
export async function hide(parts: readonly number[], hidden: readonly FacePick[], shown: readonly FacePick[]): Promise<void> {
  const { uid } = get();
  const answer = uid && (await attempt(() => api.hide(uid, [...parts], [...hidden], [...shown])));
  if (answer) accept(answer);
}

/** Copy a layer in front of itself, or onto another sheet (its settings and masks; paint belongs to its own surface). */
export async function duplicateLayer(layer: string, toSheet: string | null = null): Promise<void> {
  const { uid, project, sheet } = get();
  if (!uid || !project || !sheet) return;
  const answer = await attempt(() => api.duplicate(uid, project.revision, sheet, layer, toSheet));
  if (answer && toSheet) {
    await refresh();
    say(`Copied onto ${findSheet(project.document, toSheet)?.name ?? "the other sheet"}.`);
  } else if (answer) {
    await refresh();
    const t = get().target;
    if (t) set({ target: { ...t, layer: answer.layer, mask: t.mask } });
  }
}

/** Take over what an action on the project answers. */
export async function take(work: (uid: string, revision: number) => Promise<ProjectState>): Promise<boolean> {
  const { uid, project } = get();
  const answer = uid && project ? await attempt(() => work(uid, project.revision)) : null;
  if (answer) accept(answer);
  return answer !== null;
}

export async function runJob(start: () => Promise<Job>): Promise<Job | null> {
  const done = await attempt(async () => followJob(await start(), (job) => set({ job: job.state === "running" ? job : null })));
  set({ job: null });
  return done;
}
