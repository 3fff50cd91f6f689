/** Where clone reads. */
import { api } from "../../api/client";
import { say } from "../../state/messages";
import { theSender } from "../../state/sender";
import { workshop } from "../../state/workshop";
import { probeAt } from "../../tools/pointer";

/** Make what lies under the pointer the place that clone reads. */
export async function takeCloneSource(): Promise<void> {
  const { uid } = workshop.getState();
  const at = probeAt();
  if (!uid || !at) return;
  const found = await api.probe(uid, at).catch(() => null);
  if (!found?.position) return say("There is no surface there. Press on the model or inside an island.", true);
  workshop.setState({ clone: { source: found.position as [number, number, number], anchor: null } });
  say("Clone source set. Now paint where it should go.");
}

/** A moving source keeps its distance from where the first stroke began. */
export async function anchorClone(): Promise<void> {
  const { uid, clone, cloneMoves } = workshop.getState();
  const at = probeAt();
  if (!uid || !at || !clone || clone.anchor || !cloneMoves || !theSender()?.running) return;
  const found = await api.probe(uid, at).catch(() => null);
  const now = workshop.getState().clone;
  if (found?.position && now && !now.anchor) workshop.setState({ clone: { ...now, anchor: found.position as [number, number, number] } });
}
