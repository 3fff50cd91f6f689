import { Button, Tooltip } from "@mui/material";
import { useStore } from "zustand";
import { exporting, follow, writeAgain, type Written } from "../state/exporting";
import { hint } from "../tools/commands";
import { Toggle } from "../ui/Toggle";

/** The last export, to be repeated: only what changed is written. */
export function AgainCard() {
  const last = useStore(exporting, (s) => s.last);
  const following = useStore(exporting, (s) => s.following);
  if (!last) return null;
  return (
    <section className="card below" aria-label="Last export">
      <div className="chead">
        <h2>Last export: {last.preset}</h2>
        <span className="right">
          <Tooltip title="Write what changed whenever a stroke has settled, as long as this window is open">
            <Toggle on={following} onToggle={() => follow(!following)}>
              Keep it up to date
            </Toggle>
          </Tooltip>
          <Tooltip title={hint("Write what changed since into the same folder", "export-again")}>
            <Button variant="contained" onClick={() => void writeAgain()}>
              Write again
            </Button>
          </Tooltip>
          <Tooltip title="Also over files that something else changed there">
            <Button variant="outlined" onClick={() => void writeAgain(true)}>
              Write over
            </Button>
          </Tooltip>
        </span>
      </div>
      <p className="note">
        In <code className="path-told">{last.folder}</code>. Files made of the same stay untouched.
      </p>
    </section>
  );
}

export function Listing({ uid, written }: { uid: string; written: Written }) {
  const total = written.files.reduce((n, f) => n + f.bytes, 0);
  const changed = new Set(written.changed);
  return (
    <section className="card below" aria-label="Listing">
      <div className="chead">
        <h2>Written</h2>
        <span className="right">
          {written.files.length} files, {(total / 1e6).toFixed(1)} MB
          <Button variant="outlined" href={`/api/projects/${uid}/exports/${written.name}.zip`} download>
            Download as zip
          </Button>
        </span>
      </div>
      <p className="note">In {written.folder}, with listing.json beside them.</p>
      <table className="files">
        <thead>
          <tr>
            <th>File</th>
            <th>Size</th>
            <th>Bits</th>
            <th>Colour space</th>
            <th>Bytes</th>
            <td />
          </tr>
        </thead>
        <tbody>
          {written.files.map((f) => (
            <tr key={f.name}>
              <td>{f.name}</td>
              <td>{f.width ? `${f.width} × ${f.height}` : "–"}</td>
              <td>{f.bits || "–"}</td>
              <td>{f.colour_space}</td>
              <td>{f.bytes.toLocaleString()}</td>
              <td className="quiet">{changed.has(f.name) ? "" : "as before"}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
