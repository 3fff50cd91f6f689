import { LinearProgress, Tooltip } from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useEffect } from "react";
import { api } from "../api/client";
import type { Readiness } from "../api/types";

/** How often it is asked while something is still prepared. */
const SECONDS = 2;

function waits(now: Readiness | undefined): boolean {
  return now !== undefined && (now.making.length > 0 || now.kernels_planned > 0);
}

export function useReadiness(): Readiness | undefined {
  return useQuery({ queryKey: ["readiness"], queryFn: api.readiness, refetchInterval: (q) => (waits(q.state.data) ? 1000 * SECONDS : false) }).data;
}

/** Says that tools are still compiled behind the open window. */
export function Preparing() {
  const now = useReadiness();
  if (!now || !now.kernels_planned) return null;
  return (
    <Tooltip title="Tools are being prepared. This happens once after setting up. Everything can be used; until then the first use of a hand tool may take some seconds.">
      <span className="quiet nowrap" role="status" aria-label={`Preparing tools: ${now.kernels_done} of ${now.kernels_planned}`}>
        Tools {now.kernels_done} / {now.kernels_planned}
      </span>
    </Tooltip>
  );
}

/** A card for each demo project that is still painted. */
export function Making() {
  const client = useQueryClient();
  const making = useReadiness()?.making ?? [];
  const names = making.map((m) => m.name).join();
  // One that is done becomes an ordinary card.
  useEffect(() => void client.invalidateQueries({ queryKey: ["projects"] }), [client, names]);
  return making.map((m) => (
    <article className="pcard" key={m.name} aria-label={`${m.name}, being made`}>
      <div className="nopicture">Being painted</div>
      <div className="cap">
        <b>{m.name}</b>
        <span className="quiet">{m.message || "Waiting for its turn"}</span>
        <LinearProgress variant="determinate" value={m.planned ? (100 * m.done) / m.planned : 0} aria-label={`${m.name}: how far it is`} />
      </div>
    </article>
  ));
}
