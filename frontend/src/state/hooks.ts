/** React's side of the stores: subscribe and select, nothing else. */
import { useSyncExternalStore } from "react";
import { useStore } from "zustand";
import type { Document, Sheet } from "../api/types";
import { messages } from "./messages";
import type { Messages } from "./messages";
import { workshop } from "./workshop";
import type { WorkshopState } from "./workshop";

export function useWorkshop<T>(select: (state: WorkshopState) => T): T {
  return useStore(workshop, select);
}

export function useMessages<T>(select: (state: Messages) => T): T {
  return useStore(messages, select);
}

export function useDocument(): Document | null {
  return useWorkshop((s) => s.project?.document ?? null);
}

export function useSheet(): Sheet | null {
  return useWorkshop((s) => s.project?.document.sheets.find((x) => x.id === s.sheet) ?? null);
}

/** Where the address says we are: "#/" or "#/ID/screen". */
export function useRoute(): { uid: string | null; screen: string } {
  const hash = useSyncExternalStore(
    (wake) => {
      window.addEventListener("hashchange", wake);
      return () => window.removeEventListener("hashchange", wake);
    },
    () => window.location.hash,
  );
  const [, uid = "", screen = "paint"] = hash.split("/");
  return { uid: uid || null, screen };
}
