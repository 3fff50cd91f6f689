import { Button, Dialog, DialogActions, DialogContent, DialogTitle, MenuItem, TextField } from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { api } from "../api/client";
import { accept } from "../state/following";
import { useWorkshop } from "../state/hooks";
import { say } from "../state/messages";

/** How many steps undo may be told to keep; 0 keeps all. */
const UNDO_CHOICES = [0, 1000, 300, 100, 30];

function size(bytes: number): string {
  if (bytes < 1 << 20) return `${Math.ceil(bytes / 1024)} KB`;
  return bytes < 1 << 30 ? `${(bytes / 2 ** 20).toFixed(1)} MB` : `${(bytes / 2 ** 30).toFixed(2)} GB`;
}

function clock(seconds: number): string {
  return new Date(seconds * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", second: "2-digit", hour12: false });
}

/** What happened, and named versions to go back to. */
export function HistoryDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const uid = useWorkshop((s) => s.uid);
  const revision = useWorkshop((s) => s.project?.revision);
  const [name, setName] = useState("");
  const client = useQueryClient();
  const { data } = useQuery({ queryKey: ["history", uid, revision], queryFn: () => api.history(uid ?? ""), enabled: open && uid !== null });
  if (!uid) return null;

  const keep = async (): Promise<void> => {
    try {
      await api.addVersion(uid, name || "Version");
      setName("");
      await client.invalidateQueries({ queryKey: ["history", uid] });
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  const back = async (version: number): Promise<void> => {
    try {
      accept(await api.restore(uid, version));
      onClose();
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  const keepUndo = async (steps: number): Promise<void> => {
    try {
      accept(await api.keepUndo(uid, steps));
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  const choices = [...new Set([...UNDO_CHOICES, data?.undo_steps ?? 0])].sort((a, b) => (a || Infinity) - (b || Infinity)).reverse();
  return (
    <Dialog open={open} onClose={onClose} maxWidth="sm" fullWidth>
      <DialogTitle>History and versions</DialogTitle>
      <DialogContent>
        <h2 className="plain">Versions</h2>
        <p className="note">A version keeps everything as it is now. Going back to one is a step like any other and can be undone.</p>
        <div className="row">
          <TextField
            label="Name of the version"
            value={name}
            onChange={(e) => setName(e.target.value)}
            fullWidth
            slotProps={{ htmlInput: { maxLength: 80 } }}
          />
          <Button variant="outlined" sx={{ whiteSpace: "nowrap", flexShrink: 0 }} onClick={() => void keep()}>
            Keep version
          </Button>
        </div>
        <div className="list">
          {data?.versions.map((v) => (
            <div className="item" key={v.id}>
              {v.name}
              <span className="count">
                {new Date(v.created_at * 1000).toLocaleDateString()} {clock(v.created_at)}
              </span>
              <Button onClick={() => void back(v.id)}>Go back to it</Button>
            </div>
          ))}
        </div>
        <h2 className="plain far">Steps, newest first</h2>
        <div className="list scrolls">
          {data?.steps.map((s) => (
            <div className={s.undone || !s.kept ? "item off" : "item"} key={s.seq}>
              {s.label}
              {s.undone ? " (undone)" : !s.kept && " (beyond undo)"}
              <span className="count">{clock(s.created_at)}</span>
            </div>
          ))}
        </div>
        {data && (
          <div className="keeps">
            <TextField select label="Undo keeps" value={String(data.undo_steps)} onChange={(e) => void keepUndo(Number(e.target.value))}>
              {choices.map((n) => (
                <MenuItem key={n} value={String(n)}>
                  {n === 0 ? "Every step" : `The last ${n} steps`}
                </MenuItem>
              ))}
            </TextField>
            <span className="note flush">
              The project takes {size(data.sizes.project)} on disk, {size(data.sizes.undo)} of it for undo. Space of steps that are not kept is given
              back a few seconds after you pause.
            </span>
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
