import { DndContext, PointerSensor, useSensor, useSensors, type DragEndEvent, type DragOverEvent } from "@dnd-kit/core";
import { Menu, MenuItem, Tooltip } from "@mui/material";
import { useRef, useState } from "react";
import { duplicateLayer, edit } from "../state/edits";
import { uses } from "../state/following";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { addLayer, groupLayer, moveLayer, pictureLayer, removeLayer } from "../state/layerActions";
import { rows } from "../state/layers";
import { hint } from "../tools/commands";
import { FileInput } from "../ui/FileInput";
import { askedName } from "../ui/dialogs";
import { Icon } from "../ui/icons";
import { LayerRow } from "./LayerRow";
import { accepted } from "../state/registries";

/** The heart: rows are layers, columns are mask and channels; the target's cells are verdigris. */
export function LayerGrid() {
  const document = useDocument();
  const sheet = useSheet();
  const kinds = useWorkshop((s) => s.registries?.layer_kinds);
  const adjustments = useWorkshop((s) => s.registries?.stack.adjustments);
  const target = useWorkshop((s) => s.target);
  const [find, setFind] = useState("");
  const [closed, setClosed] = useState<ReadonlySet<string>>(new Set());
  const [hiddenColumns, setHiddenColumns] = useState<ReadonlySet<string>>(new Set());
  const picture = useRef<HTMLInputElement>(null);
  const [adding, setAdding] = useState<HTMLElement | null>(null);
  const [choosing, setChoosing] = useState<HTMLElement | null>(null);
  const [over, setOver] = useState<string | null>(null);
  const sensors = useSensors(useSensor(PointerSensor, { activationConstraint: { distance: 6 } }));
  if (!document || !sheet) return null;

  const all = rows(sheet, find ? new Set() : closed);
  const shown = find ? all.filter((r) => r.layer.name.toLowerCase().includes(find.toLowerCase())) : all;
  const channels = document.channels.filter((c) => !hiddenColumns.has(c.id));
  // A channel that no layer of the sheet uses keeps a narrow column.
  const wide = new Set(channels.filter((c) => uses(sheet, c.id) || target?.channels.includes(c.id)).map((c) => c.id));
  const cols = `28px minmax(150px, 210px) 22px 82px 92px minmax(120px, 176px) ${channels.map((c) => (wide.has(c.id) ? "66px" : "58px")).join(" ")}`;
  const drop = (e: DragEndEvent): void => {
    setOver(null);
    const goal = e.over ? String(e.over.id) : null;
    const moving = String(e.active.id);
    if (!goal || goal === moving) return;
    if (goal.startsWith("into:")) void moveLayer(moving, null, goal.slice(5));
    else void moveLayer(moving, goal === "end" ? null : goal, null);
  };
  return (
    <section className="layers" aria-label="Layer grid" style={{ "--cols": cols } as React.CSSProperties}>
      <div className="lbar">
        <button className="lbtn line" aria-haspopup="menu" onClick={(e) => setAdding(e.currentTarget)}>
          <Icon name="plus" />
          Add layer
          <Icon name="down" />
        </button>
        <Menu anchorEl={adding} open={adding !== null} onClose={() => setAdding(null)}>
          {kinds?.flatMap((k) =>
            (k.id === "adjust"
              ? (adjustments ?? []).map((a) => ({ ...a, name: `Adjust: ${a.name}`, kind: "adjust" as const }))
              : [{ ...k, kind: k.id as "paint" | "fill" | "group" }]
            ).map((entry) => (
              <MenuItem
                key={`${entry.kind}/${entry.id}`}
                onClick={() => {
                  setAdding(null);
                  void addLayer(entry.kind, entry.id);
                }}
              >
                <span>
                  {entry.name} <span className="quiet">· {entry.hint}</span>
                </span>
              </MenuItem>
            )),
          )}
          <MenuItem
            onClick={() => {
              setAdding(null);
              picture.current?.click();
            }}
          >
            <span>
              Picture <span className="quiet">· A square file to paint over, in the channel of the target</span>
            </span>
          </MenuItem>
        </Menu>
        <FileInput input={picture} accept={accepted("pictures")} label="Picture for a layer" onFile={(file) => void pictureLayer(file)} />
        <GridButton
          icon="group"
          name="Group"
          text="Put the target layer into a group"
          off={!target}
          run={() => target && void groupLayer(target.layer)}
        />
        <GridButton
          icon="copy"
          name="Duplicate"
          text={hint("Copy the target layer with its paint", "duplicate")}
          off={!target}
          run={() => target && void duplicateLayer(target.layer)}
        />
        <GridButton
          icon="bin"
          name="Delete"
          text={hint("Delete the target layer", "delete")}
          off={!target}
          run={() => target && void removeLayer(target.layer)}
        />
        <label className="find">
          <Icon name="find" />
          <input placeholder="Find a layer" aria-label="Find a layer" value={find} onChange={(e) => setFind(e.target.value)} />
        </label>
        <span className="push" />
        <button className="lbtn" aria-haspopup="menu" onClick={(e) => setChoosing(e.currentTarget)}>
          <Icon name="columns" />
          Columns
          <Icon name="down" />
        </button>
        <ColumnsMenu anchor={choosing} onClose={() => setChoosing(null)} hidden={hiddenColumns} onHidden={setHiddenColumns} />
      </div>
      <DndContext
        sensors={sensors}
        onDragEnd={drop}
        onDragOver={(e: DragOverEvent) => setOver(e.over ? String(e.over.id) : null)}
        onDragCancel={() => setOver(null)}
      >
        <div className="grid" role="table" aria-label="Layers by channels">
          <div className="gr head" role="row">
            <span role="columnheader">
              <span className="unseen">Shown</span>
            </span>
            <span role="columnheader">Layer, front first</span>
            <span role="columnheader">
              <span className="unseen">Locked</span>
            </span>
            <span role="columnheader">Blend</span>
            <span role="columnheader">Strength</span>
            <span role="columnheader">Mask</span>
            {channels.map((c) => (
              <span role="columnheader" className="c" key={c.id}>
                {c.name}
              </span>
            ))}
          </div>
          {shown.map((row) => (
            <LayerRow
              key={row.layer.id}
              row={row}
              sheet={sheet}
              channels={channels}
              closed={closed.has(row.layer.id)}
              over={over}
              onFold={() => setClosed(toggled(closed, row.layer.id))}
            />
          ))}
          {!shown.length && <p className="note empty">{find ? "No layer has that in its name." : "No layers yet. Add one to begin."}</p>}
        </div>
      </DndContext>
    </section>
  );
}

export function toggled(set: ReadonlySet<string>, id: string): ReadonlySet<string> {
  const next = new Set(set);
  if (!next.delete(id)) next.add(id);
  return next;
}

function GridButton({ icon, name, text, off, run }: { icon: "group" | "copy" | "bin"; name: string; text: string; off: boolean; run: () => void }) {
  return (
    <Tooltip title={text}>
      <span>
        <button className="lbtn" disabled={off} onClick={run}>
          <Icon name={icon} />
          {name}
        </button>
      </span>
    </Tooltip>
  );
}

function ColumnsMenu({
  anchor,
  onClose,
  hidden,
  onHidden,
}: {
  anchor: HTMLElement | null;
  onClose: () => void;
  hidden: ReadonlySet<string>;
  onHidden: (s: ReadonlySet<string>) => void;
}) {
  const document = useDocument();
  const add = async (kind: "data" | "colour"): Promise<void> => {
    const name = await askedName("Add a channel", "Name", "", "Add channel");
    if (!name) return;
    const id =
      name
        .toLowerCase()
        .replace(/[^a-z0-9]+/g, "_")
        .replace(/^[^a-z]+|_+$/g, "") || "channel";
    const channel = { id: id.slice(0, 40), name: name.slice(0, 60), kind, start: kind === "colour" ? [0, 0, 0] : [0] };
    void edit(`Add channel ${name}`, { edit: "add-channel", channel, index: null });
    onClose();
  };
  return (
    <Menu anchorEl={anchor} open={anchor !== null} onClose={onClose}>
      {document?.channels.map((c) => (
        <MenuItem key={c.id} role="menuitemcheckbox" aria-checked={!hidden.has(c.id)} onClick={() => onHidden(toggled(hidden, c.id))}>
          <span className="tick">{hidden.has(c.id) ? "" : "✓"}</span>
          {c.name}
        </MenuItem>
      ))}
      <MenuItem onClick={() => void add("data")}>Add a data channel…</MenuItem>
      <MenuItem onClick={() => void add("colour")}>Add a colour channel…</MenuItem>
    </Menu>
  );
}
