import { Button, LinearProgress, Paper } from "@mui/material";
import { api } from "../api/client";
import { useRoute, useWorkshop } from "../state/hooks";

/** Long work with its progress and a way to stop it. */
export function JobBar() {
  const job = useWorkshop((s) => s.job);
  const { screen } = useRoute();
  // The Bake screen shows its own job where it was started.
  if (!job || (screen === "bake" && job.kind === "bake")) return null;
  const share = job.planned ? (100 * job.done) / job.planned : 0;
  return (
    <Paper elevation={6} role="status" sx={{ position: "absolute", right: 16, bottom: 16, width: 320, p: 1.5, zIndex: 20 }}>
      <b>{job.title}</b>
      <div className="quiet">{job.message || "Starting"}</div>
      <LinearProgress variant="determinate" value={share} sx={{ my: 1 }} aria-label={job.title} />
      <Button onClick={() => void api.cancelJob(job.id)}>Stop</Button>
    </Paper>
  );
}
