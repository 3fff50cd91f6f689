import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from "@mui/material";
import { useState } from "react";
import { useWorkshop } from "../state/hooks";
import { say } from "../state/messages";
import { commands, keyOf, keyText, pressed, rebind, resetKeys } from "../tools/commands";

const HAND = [
  ["Paint", "Left button, or pen"],
  ["Orbit the 3D view", "Right-drag, or Space + drag"],
  ["Pan a view", "Middle-drag, or Space + Shift + drag"],
  ["Zoom", "Wheel"],
  ["Straight line from the last point", "Shift + press"],
  ["Straight line in steps of 15°", "Shift + Ctrl + press"],
  ["Paint with the other colour", "Hold V"],
  ["Pick while painting", "Hold Alt + press"],
  ["Add a channel to the target", "Ctrl + press its cell"],
] as const;

/** All shortcuts; press one to give it another key. */
export function ShortcutsDialog({ open, onClose }: { open: boolean; onClose: () => void }) {
  const [waiting, setWaiting] = useState<string | null>(null);
  const [, again] = useState(0);
  const version = useWorkshop((s) => s.registries?.version);
  const groups = [...new Set(commands().map((c) => c.group))];
  const take = (event: React.KeyboardEvent): void => {
    if (!waiting || ["Shift", "Control", "Alt", "Meta"].includes(event.key)) return;
    event.preventDefault();
    event.stopPropagation();
    if (event.key !== "Escape") {
      const lost = rebind(waiting, pressed(event.nativeEvent));
      if (lost) say(`${lost.label} has no key now.`);
    }
    setWaiting(null);
  };
  const shown = (id: string): string => (waiting === id ? "Press a key…" : keyText(keyOf(id)) || "none");
  return (
    <Dialog open={open} onClose={onClose} maxWidth="md" fullWidth onKeyDown={take}>
      <DialogTitle>Shortcuts</DialogTitle>
      <DialogContent sx={{ columns: 2, columnGap: 4 }}>
        <section className="whole">
          <h2 className="plain">Hand</h2>
          {HAND.map(([what, how]) => (
            <div className="item" key={what}>
              {what}
              <span className="count">{how}</span>
            </div>
          ))}
        </section>
        {groups.map((group) => (
          <section key={group} className="whole">
            <h2 className="plain">{group}</h2>
            {commands()
              .filter((c) => c.group === group)
              .map((c) => (
                <button className="item" key={c.id} onClick={() => setWaiting(c.id)} aria-label={`${c.label} ${shown(c.id)}: change key`}>
                  {c.label} <span className="count">{waiting === c.id ? shown(c.id) : <kbd>{shown(c.id)}</kbd>}</span>
                </button>
              ))}
          </section>
        ))}
      </DialogContent>
      <DialogActions>
        <span className="quiet first">
          Ruvelt {version} ·{" "}
          <a href="/changelog.txt" target="_blank" rel="noreferrer">
            Changes
          </a>{" "}
          ·{" "}
          <a href="/licences.txt" target="_blank" rel="noreferrer">
            Licences
          </a>
        </span>
        <Button
          onClick={() => {
            resetKeys();
            again((n) => n + 1);
          }}
        >
          Reset to defaults
        </Button>
        <Button onClick={onClose}>Close</Button>
      </DialogActions>
    </Dialog>
  );
}
