import { Tooltip } from "@mui/material";
import { useState } from "react";
import type { ImportNote } from "../api/types";
import { useWorkshop } from "../state/hooks";
import { Segment, Segments } from "../ui/Segments";

type Outcome = ImportNote["outcome"];

/** What needs a look comes first. */
const OUTCOMES: readonly { id: Outcome; name: string; hint: string }[] = [
  { id: "left out", name: "Left out", hint: "What the file holds and this project does not" },
  { id: "folded", name: "Folded", hint: "UVs beyond the square, brought back into it" },
  { id: "converted", name: "Converted", hint: "Kept in another form" },
  { id: "kept", name: "Kept", hint: "As the file has it" },
];

/** What the import did with the file, part by part and material by material. */
export function ImportNotes() {
  const notes = useWorkshop((s) => s.model?.notes);
  const [only, setOnly] = useState<Outcome | null>(null);
  if (!notes?.length) return null;
  const order = (n: ImportNote): number => OUTCOMES.findIndex((o) => o.id === n.outcome);
  const shown = notes.filter((n) => only === null || n.outcome === only).sort((a, b) => order(a) - order(b));
  const groups = [...new Set(shown.map((n) => n.about))];
  return (
    <section aria-label="Import notes">
      <h2>From the file</h2>
      <Segments label="Notes shown">
        {OUTCOMES.map((o) => {
          const count = notes.filter((n) => n.outcome === o.id).length;
          return count ? (
            <Tooltip key={o.id} title={only === o.id ? "Show all notes" : o.hint}>
              <Segment on={only === o.id} onChoose={() => setOnly(only === o.id ? null : o.id)}>
                {o.name} {count}
              </Segment>
            </Tooltip>
          ) : null;
        })}
      </Segments>
      {/* It scrolls, so that the keyboard has to reach it. */}
      {/* eslint-disable-next-line jsx-a11y/no-noninteractive-tabindex */}
      <div className="inotes" tabIndex={0} role="group" aria-label="Notes">
        {groups.map((about) => (
          <div key={about}>
            <b>{about}</b>
            <ul>
              {shown
                .filter((n) => n.about === about)
                .map((n, i) => (
                  <li key={i} className={n.outcome.replace(" ", "-")}>
                    <span>{OUTCOMES.find((o) => o.id === n.outcome)?.name}</span> {n.text}
                  </li>
                ))}
            </ul>
          </div>
        ))}
      </div>
    </section>
  );
}
