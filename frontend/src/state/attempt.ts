/** Actions whose failures become messages. */
import { ApiError } from "../api/client";
import { say } from "./messages";
import { workshop } from "./workshop";

/** Brings the project up to date; whoever follows it says how. */
let refreshed: () => Promise<void> = () => Promise.resolve();

export function onStale(refresh: () => Promise<void>): void {
  refreshed = refresh;
}

export function told(error: unknown): string {
  return error instanceof Error ? error.message : "Something went wrong.";
}

/** Run an action; its failure becomes a message, and a stale view is brought up to date. */
export async function attempt<T>(work: () => Promise<T>): Promise<T | null> {
  try {
    const result = await work();
    if (workshop.getState().lost) workshop.setState({ lost: false });
    return result;
  } catch (error) {
    const status = error instanceof ApiError ? error.status : -1;
    if (status === 0) workshop.setState({ lost: true });
    say(told(error), true);
    if (status === 409 || status === 404) await refreshed().catch(() => undefined);
    return null;
  }
}
