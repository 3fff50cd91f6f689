import { Tooltip } from "@mui/material";
import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useStore } from "zustand";
import { api } from "../api/client";
import type { BakeSettings, PairTable } from "../api/types";
import { bakery, pairPart } from "../state/bake";
import { useDocument, useWorkshop } from "../state/hooks";
import { Check } from "../ui/Check";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";

type Row = PairTable["rows"][number];

function against(row: Row): string {
  if (row.to === "everything") return "everything";
  if (row.to === "nothing") return "nothing";
  return row.high.length > 1 ? `${row.high[0]} and ${row.high.length - 1} more` : (row.high[0] ?? "nothing");
}

/** Which parts of the high mesh each part is measured against: by name, or as the artist says. */
export function PairsCard() {
  const uid = useWorkshop((s) => s.uid) ?? "";
  const meshes = useDocument()?.high_meshes;
  const { settings, source } = useStore(bakery);
  const [open, setOpen] = useState<string | null>(null);
  const [listed, setListed] = useState(false);
  const wanted = settings !== null && source === "high" && Boolean(meshes?.length) && settings.match_parts;
  const { data } = useQuery({
    queryKey: ["pairs", uid, meshes, settings?.pairs],
    queryFn: () => (settings ? api.pairs(uid, settings) : null),
    enabled: wanted,
    placeholderData: (old) => old,
  });
  if (!wanted || !data) return null;
  // A list that is worked in stays, also when nothing in it is wrong any more.
  const choose = (low: string): void => {
    setOpen(open === low ? null : low);
    setListed(true);
  };
  const lost = data.rows.filter((r) => r.to === "nothing" && !r.said);
  return (
    <section className="card" aria-label="Pairs of parts">
      <div className="chead">
        <h2>Pairs of parts</h2>
        <div className="right">
          <Tooltip title="Which part is measured against which; each can be changed">
            <Toggle on={listed} onToggle={() => setListed(!listed)} aria-label={`List ${data.rows.length.toLocaleString()} pairs of parts`}>
              {data.rows.length.toLocaleString()}
            </Toggle>
          </Tooltip>
        </div>
      </div>
      {lost.length > 0 && (
        <p className="note warn" role="status">
          {lost.length === 1 ? "1 part has no partner and meets nothing." : `${lost.length} parts have no partner and meet nothing.`} Press one to say
          what it is measured against.
        </p>
      )}
      {(listed || lost.length > 0) && (
        <div className="list scrolls" role="list">
          {data.rows.map((row) => (
            <div key={row.low} role="listitem">
              <Tooltip placement="left" title={row.to === "parts" ? `${row.low}: ${row.high.join(", ")}` : `${row.low}: ${row.to}`}>
                <button
                  className="item"
                  aria-expanded={open === row.low}
                  aria-label={`${row.low} is measured against ${against(row)}`}
                  onClick={() => choose(row.low)}
                >
                  <span className="text">{row.low}</span>
                  <span className={row.to === "nothing" ? "count warn" : "count"}>
                    {against(row)}
                    {row.said ? " ·" : ""}
                  </span>
                </button>
              </Tooltip>
              {open === row.low && <Choice row={shownAs(row, settings.pairs)} high={data.high} />}
            </div>
          ))}
        </div>
      )}
      {data.alone.length > 0 && (
        <p className="note">
          Measured for no part: {data.alone.slice(0, 8).join(", ")}
          {data.alone.length > 8 ? ` and ${data.alone.length - 8} more` : ""}.
        </p>
      )}
    </section>
  );
}

/** A row as the artist has just changed it, before the server says what that comes to. */
function shownAs(row: Row, pairs: BakeSettings["pairs"]): Row {
  const said = pairs.find((p) => p.low === row.low);
  return said ? { ...row, to: said.to, high: [...said.high], said: true } : row.said ? { ...row, said: false } : row;
}

/** What one part is measured against, to be changed. */
function Choice({ row, high }: { row: Row; high: readonly string[] }) {
  const toggle = (name: string): void => {
    const chosen = row.to !== "parts" ? [name] : row.high.includes(name) ? row.high.filter((h) => h !== name) : [...row.high, name];
    pairPart(row.low, { to: "parts", high: chosen });
  };
  return (
    <div className="choice" role="group" aria-label={`What ${row.low} is measured against`}>
      <Segments label={`Against what ${row.low} is measured`}>
        <Tooltip title="The high parts of its name">
          <Segment on={!row.said} onChoose={() => pairPart(row.low, null)}>
            By name
          </Segment>
        </Tooltip>
        <Tooltip title="Whatever a ray meets first">
          <Segment on={row.said && row.to === "everything"} onChoose={() => pairPart(row.low, { to: "everything", high: [] })}>
            Everything
          </Segment>
        </Tooltip>
        <Tooltip title="Its texels stay as the model has them">
          <Segment on={row.said && row.to === "nothing"} onChoose={() => pairPart(row.low, { to: "nothing", high: [] })}>
            Nothing
          </Segment>
        </Tooltip>
      </Segments>
      {high.map((name) => (
        <Tooltip key={name} title={`Measure ${row.low} against ${name}`} placement="left">
          <label className="check">
            <Check aria-label={name} checked={row.to === "parts" && row.high.includes(name)} onChange={() => toggle(name)} />
            {name}
          </label>
        </Tooltip>
      ))}
    </div>
  );
}
