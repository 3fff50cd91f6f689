import { Button, Dialog, DialogActions, DialogContent, DialogTitle, LinearProgress, MenuItem, TextField, Tooltip } from "@mui/material";
import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { api, followJob } from "../api/client";
import type { Job, ProjectCard } from "../api/types";
import { useWorkshop } from "../state/hooks";
import { say } from "../state/messages";
import { Icon, Logo } from "../ui/icons";
import { MessageList } from "./Messages";
import { Making, Preparing, useReadiness } from "./Readiness";
import { TopButton } from "./TopButton";
import { accepted } from "../state/registries";

export function ProjectsScreen({ onMode }: { onMode: () => void }) {
  const client = useQueryClient();
  const { data, error } = useQuery({ queryKey: ["projects"], queryFn: api.projects, refetchOnMount: "always" });
  // What files it takes is known a moment after the first look.
  useWorkshop((s) => s.registries);
  const making = new Set(useReadiness()?.making.map((m) => m.name));
  const shown = (data ?? []).filter((p) => !making.has(p.name));
  const [files, setFiles] = useState<File[]>([]);
  const [over, setOver] = useState(false);
  const input = useRef<HTMLInputElement>(null);
  const reload = (): Promise<void> => client.invalidateQueries({ queryKey: ["projects"] });
  return (
    <div className="shell">
      <header className="top">
        <div className="brand">
          <Logo />
          <span className="word">Ruvelt</span>
          <span className="bar" />
          <h1 className="where">Projects</h1>
        </div>
        <span />
        <div className="topright">
          <Preparing />
          <MessageList />
          <TopButton icon="half" label="Light or dark" name="Light or dark" onClick={onMode} />
        </div>
      </header>
      <main className="page">
        {error && <p role="alert">{error.message}</p>}
        <div className="cards">
          <div
            className={over ? "dropzone over" : "dropzone"}
            onDragOver={(e) => {
              e.preventDefault();
              setOver(true);
            }}
            onDragLeave={() => setOver(false)}
            onDrop={(e) => {
              e.preventDefault();
              setOver(false);
              setFiles([...e.dataTransfer.files]);
            }}
          >
            <b className="large">New project</b>
            <span className="note">Drop a model here, with its pictures: OBJ and MTL, GLB, glTF, PLY or STL</span>
            <Button variant="outlined" startIcon={<Icon name="load" />} onClick={() => input.current?.click()}>
              Choose a file
            </Button>
            <input
              ref={input}
              type="file"
              hidden
              multiple
              aria-label="Model files"
              accept={accepted("models")}
              onChange={(e) => {
                setFiles([...(e.target.files ?? [])]);
                e.target.value = "";
              }}
            />
          </div>
          <Making />
          {shown.map((p) => (
            <Card key={p.uid} project={p} onChange={reload} />
          ))}
        </div>
      </main>
      {files.length > 0 && <NewProject files={files} onClose={() => setFiles([])} />}
    </div>
  );
}

function ago(seconds: number): string {
  const days = Math.floor((Date.now() / 1000 - seconds) / 86400);
  if (days < 1) return `today ${new Date(seconds * 1000).toLocaleTimeString([], { hour: "2-digit", minute: "2-digit", hour12: false })}`;
  return days === 1 ? "yesterday" : `${days} days ago`;
}

function Card({ project, onChange }: { project: ProjectCard; onChange: () => Promise<void> }) {
  const [asking, setAsking] = useState<"rename" | "delete" | null>(null);
  const [name, setName] = useState(project.name);
  const act = async (work: () => Promise<unknown>): Promise<void> => {
    try {
      await work();
      setAsking(null);
      await onChange();
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  return (
    <article className="pcard" aria-label={project.name}>
      {project.trouble ? (
        <Troubled project={project} onRecover={() => void act(() => recover(project))} />
      ) : (
        <a href={`#/${project.uid}/${project.sheets ? "paint" : "model"}`}>
          <Picture project={project} />
          <div className="cap">
            <b>{project.name}</b>
            <span className="quiet">
              {project.sheets} {project.sheets === 1 ? "sheet" : "sheets"} · {project.layers} layers · {ago(project.updated_at)}
            </span>
          </div>
        </a>
      )}
      <div className="tools">
        {!project.trouble && (
          <Tooltip title="Rename">
            <button className="iconbtn" aria-label={`Rename ${project.name}`} onClick={() => setAsking("rename")}>
              <Icon name="pen" />
            </button>
          </Tooltip>
        )}
        <Tooltip title="Delete">
          <button className="iconbtn" aria-label={`Delete ${project.name}`} onClick={() => setAsking("delete")}>
            <Icon name="bin" />
          </button>
        </Tooltip>
      </div>
      <Dialog open={asking === "delete"} onClose={() => setAsking(null)}>
        <DialogTitle>Delete “{project.name}”?</DialogTitle>
        <DialogContent>Its layers, history, versions and exports are removed from the disk. This cannot be undone.</DialogContent>
        <DialogActions>
          <Button onClick={() => setAsking(null)}>Keep it</Button>
          <Button color="error" variant="outlined" onClick={() => void act(() => api.remove(project.uid))}>
            Delete project
          </Button>
        </DialogActions>
      </Dialog>
      <Dialog open={asking === "rename"} onClose={() => setAsking(null)}>
        <DialogTitle>Rename project</DialogTitle>
        <DialogContent>
          <TextField
            autoFocus
            label="Name"
            margin="dense"
            value={name}
            onChange={(e) => setName(e.target.value)}
            slotProps={{ htmlInput: { maxLength: 80 } }}
          />
        </DialogContent>
        <DialogActions>
          <Button onClick={() => setAsking(null)}>Cancel</Button>
          <Button variant="outlined" onClick={() => void act(() => api.rename(project.uid, name))}>
            Rename
          </Button>
        </DialogActions>
      </Dialog>
    </article>
  );
}

async function recover(project: ProjectCard): Promise<void> {
  await api.recover(project.uid);
  say(`The last good state of “${project.name}” is in the list as a copy. The project itself was left as it is.`);
}

/** The kept picture, or the sign of a project whose picture has not been taken yet. */
function Picture({ project }: { project: ProjectCard }) {
  const [missing, setMissing] = useState(false);
  if (missing) {
    return (
      <div className="nopicture">
        <Logo />
      </div>
    );
  }
  return <img src={`/api/projects/${project.uid}/card.jpg?r=${project.revision}`} alt={`${project.name}, lit`} onError={() => setMissing(true)} />;
}

/** A project that cannot be opened: why, and the way to its last good state. */
function Troubled({ project, onRecover }: { project: ProjectCard; onRecover: () => void }) {
  return (
    <>
      <div className="nopicture">
        <Icon name="warn" size={28} />
      </div>
      <div className="cap">
        <b>{project.name}</b>
        <div className="finding blocks flush">{project.trouble}</div>
        <Tooltip title="Makes a copy from the newest step or version that can be read; the project itself stays as it is">
          <Button variant="outlined" onClick={onRecover} sx={{ justifySelf: "start", mt: 0.5 }}>
            Open last good state
          </Button>
        </Tooltip>
      </div>
    </>
  );
}

function NewProject({ files, onClose }: { files: File[]; onClose: () => void }) {
  const registries = useWorkshop((s) => s.registries);
  const main = files.find((f) => registries?.mesh_formats.some((x) => f.name.toLowerCase().endsWith(x))) ?? files[0];
  const [name, setName] = useState(main?.name.replace(/\.[^.]+$/, "").replace(/[_-]+/g, " ") ?? "");
  const [resolution, setResolution] = useState("");
  const [rule, setRule] = useState("auto");
  const [uvSet, setUvSet] = useState("");
  const [job, setJob] = useState<Job | null>(null);
  const [trouble, setTrouble] = useState<string | null>(null);

  const start = async (): Promise<void> => {
    setTrouble(null);
    const form = new FormData();
    for (const file of files) form.append("file", file, file.name);
    form.append("name", name);
    form.append("resolution", resolution);
    form.append("rule", rule);
    form.append("uv_set", uvSet);
    try {
      const done = await followJob(await api.create(form), setJob);
      if (done.state === "done") window.location.hash = `#/${String(done.result.project)}/model`;
      else onClose();
    } catch (error) {
      setTrouble((error as Error).message);
    }
    setJob(null);
  };
  return (
    <Dialog open onClose={job ? undefined : onClose} fullWidth maxWidth="xs">
      <DialogTitle>New project</DialogTitle>
      <DialogContent sx={{ display: "grid", gap: 1.5 }}>
        <span className="quiet">{files.map((f) => f.name).join(", ")}</span>
        <TextField label="Name" value={name} onChange={(e) => setName(e.target.value)} slotProps={{ htmlInput: { maxLength: 80 } }} />
        <TextField
          select
          label="Sheet resolution"
          value={resolution}
          onChange={(e) => setResolution(e.target.value)}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">As the file’s pictures, else 1024 × 1024</MenuItem>
          {registries?.resolutions.map((r) => (
            <MenuItem key={r} value={String(r)}>
              {r} × {r}
            </MenuItem>
          ))}
        </TextField>
        <TextField select label="One sheet per" value={rule} onChange={(e) => setRule(e.target.value)}>
          <MenuItem value="auto">Numbered tile if there are any, else material</MenuItem>
          <MenuItem value="materials">Material</MenuItem>
          <MenuItem value="parts">Part</MenuItem>
          <MenuItem value="tiles">Numbered tile</MenuItem>
        </TextField>
        <TextField
          select
          label="Paint on UV set"
          value={uvSet}
          onChange={(e) => setUvSet(e.target.value)}
          slotProps={{ select: { displayEmpty: true }, inputLabel: { shrink: true } }}
        >
          <MenuItem value="">The file’s first</MenuItem>
          {[0, 1, 2, 3].map((n) => (
            <MenuItem key={n} value={String(n)}>
              Number {n}
            </MenuItem>
          ))}
        </TextField>
        {trouble && (
          <div role="alert" className="finding blocks">
            {trouble}
          </div>
        )}
        {job && (
          <div role="status">
            <span className="quiet">{job.message}</span>
            <LinearProgress variant="determinate" value={job.planned ? (100 * job.done) / job.planned : 0} aria-label="Import progress" />
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={() => (job ? void api.cancelJob(job.id) : onClose())}>{job ? "Stop" : "Cancel"}</Button>
        <Button variant="contained" disabled={job !== null || !name.trim()} onClick={() => void start()}>
          Create
        </Button>
      </DialogActions>
    </Dialog>
  );
}
