/** Maps that are changed in a program outside: taken out, looked at when they were saved there, and laid back. */
import { createStore } from "zustand/vanilla";
import { api } from "../api/client";
import type { Difference, Trip } from "../api/types";
import { attempt } from "./attempt";
import { refresh } from "./following";
import { say } from "./messages";
import { workshop } from "./workshop";

interface OutsideState {
  open: boolean;
  trips: readonly Trip[];
  /** The map that is looked at, and what it has otherwise than what was sent. */
  look: { trip: string; found: Difference | null; trouble: string } | null;
  watching: boolean;
}

export const outside = createStore<OutsideState>(() => ({ open: false, trips: [], look: null, watching: false }));
const { getState: get, setState: set } = outside;
/** Milliseconds between two looks at the folder. */
const EVERY = 1200;
let timer = 0;
let landing = false;

export function openOutside(open: boolean): void {
  set({ open, look: null });
  if (open) void loadTrips();
}

export async function loadTrips(): Promise<void> {
  const { uid } = workshop.getState();
  const trips = uid && (await attempt(() => api.trips(uid)));
  if (trips) set({ trips });
}

export async function takeOut(sheet: string, channel: string, layer: string | null, format: "png" | "tiff", bits: 8 | 16): Promise<void> {
  const { uid } = workshop.getState();
  const made = uid && (await attempt(() => api.takeOut(uid, { sheet, channel, layer, format, bits })));
  if (!made) return;
  await loadTrips();
  say(`${made.file} is in ${made.folder}, with its UV wire and island ids beside it.`);
}

/** See what a file that was saved has otherwise, before it lands. */
export async function lookAt(trip: string, scaled = false, material: number | null = null): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid) return;
  set({ look: { trip, found: null, trouble: "" } });
  try {
    const found = await api.lookAtTrip(uid, trip, scaled, material);
    set({ look: { trip, found, trouble: "" } });
  } catch (error) {
    set({ look: { trip, found: null, trouble: (error as Error).message } });
  }
  await loadTrips();
}

export async function land(trip: string, scaled = false, material: number | null = null): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid || landing) return;
  landing = true;
  const answer = await attempt(() => api.landTrip(uid, trip, scaled, material));
  landing = false;
  if (!answer) return;
  set({ look: null });
  await Promise.all([refresh(), loadTrips()]);
  say(
    answer.layer
      ? `${answer.changed.toLocaleString()} texels came back, as a layer over the old.`
      : "Nothing differs from what was sent, so nothing was laid.",
  );
}

export async function putFile(trip: string, file: File): Promise<void> {
  const { uid } = workshop.getState();
  if (!uid) return;
  const form = new FormData();
  form.append("file", file, file.name);
  const trips = await attempt(() => api.putTripFile(uid, trip, form));
  if (!trips) return;
  set({ trips });
  await lookAt(trip);
}

export async function forgetTrip(trip: string): Promise<void> {
  const { uid } = workshop.getState();
  const trips = uid && (await attempt(() => api.forgetTrip(uid, trip)));
  if (trips) set({ trips, look: null });
}

/** Lay each file as soon as it is saved, as long as this window is open. */
export function watch(on: boolean): void {
  set({ watching: on });
  window.clearInterval(timer);
  if (on) timer = window.setInterval(() => void lookForChanges(), EVERY);
}

async function lookForChanges(): Promise<void> {
  const { uid, lost } = workshop.getState();
  if (!uid || lost || landing) return;
  const trips = await api.trips(uid).catch(() => null);
  if (!trips) return;
  const before = get().trips;
  set({ trips });
  for (const t of trips.filter((x) => x.changed)) {
    // A file that is still being written is whole at the next look.
    const whole = await api.lookAtTrip(uid, t.id, false, null).catch((error: Error) => {
      if (before.find((b) => b.id === t.id)?.changed && get().look?.trouble !== error.message)
        set({ look: { trip: t.id, found: null, trouble: error.message } });
      return null;
    });
    if (whole) await land(t.id);
  }
}

workshop.subscribe((now, before) => {
  if (now.uid === before.uid) return;
  watch(false);
  set({ open: false, trips: [], look: null });
});
