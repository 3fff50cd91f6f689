import { Button, Tooltip } from "@mui/material";
import { useEffect, useRef, useState } from "react";
import { useStore } from "zustand";
import type { Document, Variant } from "../api/types";
import { fromHex, toHex } from "../state/colour";
import { compare, lookOf, openViews } from "../state/compare";
import { useDocument, useWorkshop } from "../state/hooks";
import { findLayer, findSheet } from "../state/layers";
import {
  addRole,
  addVariant,
  asProject,
  colourRole,
  forgetChanges,
  forgetRole,
  freshLooks,
  removeRole,
  removeVariant,
  renameVariant,
  showVariant,
  variantLooks,
} from "../state/variants";
import { theStage } from "../state/stage";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { askedName } from "../ui/dialogs";
import { LightDial } from "../viewport/LightDial";
import { usePointer } from "../viewport/usePointer";

const MOST_VIEWS = 6;

/** Named sets of changes over one project: side by side, each with a live view. */
export function VariantsScreen() {
  const document = useDocument();
  const open = useStore(compare, (s) => s.open);
  const revision = useWorkshop((s) => s.project?.revision);
  const all = [{ id: "", name: "Base" }, ...((document?.variants ?? []) as Variant[])];
  const known = all.map((v) => v.id).join();
  useEffect(() => {
    void freshLooks();
  }, [revision]);
  useEffect(() => {
    // At first all of them, as far as there is room.
    const ids = known.split(",");
    const kept = compare.getState().open.filter((id) => ids.includes(id));
    openViews(kept.length ? kept : ids.slice(0, MOST_VIEWS));
  }, [known]);
  useEffect(() => () => openViews([]), []);
  if (!document) return null;
  return (
    <main className="variants">
      <aside className="panel stack" aria-label="Variants">
        <h2 className="plain">Variants</h2>
        <p className="note">
          Each says what it has otherwise: layers shown or not, strengths, fills, masks and adjustments. Strokes are shared. What is changed anywhere
          goes to the one that shows.
        </p>
        {all.map((v) => (
          <Entry key={v.id} id={v.id} name={v.name} document={document} open={open.includes(v.id)} full={open.length >= MOST_VIEWS} />
        ))}
        <Button
          variant="contained"
          onClick={() =>
            void askedName("Add a variant", "Name", `Variant ${all.length}`, "Add variant").then((name) => {
              if (name) void addVariant(name);
            })
          }
        >
          Add a variant
        </Button>
      </aside>
      <div className={`panes of${Math.max(1, open.length)}`} aria-label="Live views">
        {open.map((id) => (
          <Pane key={id} id={id} name={all.find((v) => v.id === id)?.name ?? ""} showing={(document.showing ?? "") === id} />
        ))}
      </div>
      <aside className="panel stack" aria-label="Roles and changes">
        <Roles document={document} />
        <Changes document={document} />
      </aside>
    </main>
  );
}

function Entry({ id, name, document, open, full }: { id: string; name: string; document: Document; open: boolean; full: boolean }) {
  const picture = useStore(variantLooks, (s) => s.pictures[id]);
  const waiting = useStore(variantLooks, (s) => s.waiting[id] ?? 0);
  const shows = (document.showing ?? "") === id;
  const views = compare.getState().open;
  return (
    <div className={shows ? "variant on" : "variant"} role="group" aria-label={`Variant ${name}`}>
      <button className="vlook" aria-label={`Show ${name}`} aria-pressed={shows} onClick={() => void showVariant(id || null)}>
        {picture ? <img src={picture} alt="" /> : <span className="blank" />}
      </button>
      <div className="stack tight">
        <b className="ell">{name}</b>
        <span className="quiet">
          {shows ? "Shows; changes go here" : " "}
          {waiting > 0 && ` · ${waiting} of a deleted layer`}
        </span>
        <div className="prow">
          <Tooltip title={open ? "Close its live view" : full ? `${MOST_VIEWS} live views are open: close one first` : "Open a live view of it"}>
            <span>
              <Toggle
                plain
                disabled={!open && full}
                on={open}
                aria-label={`Live view of ${name}`}
                onToggle={() => openViews(open ? views.filter((v) => v !== id) : [...views, id])}
              >
                View
              </Toggle>
            </span>
          </Tooltip>
          <Tooltip title="Make a project of its own of it, with all paint and history">
            <PushButton
              onClick={() =>
                void askedName("A project of its own", "Name", `${name} of the project`.slice(0, 80), "Make project").then((title) => {
                  if (title) void asProject(id || null, title);
                })
              }
            >
              Project…
            </PushButton>
          </Tooltip>
          {id && (
            <>
              <Tooltip title="Give it another name">
                <PushButton
                  onClick={() =>
                    void askedName("Rename the variant", "Name", name, "Rename").then((text) => {
                      if (text) void renameVariant(id, text);
                    })
                  }
                >
                  Rename
                </PushButton>
              </Tooltip>
              <Tooltip title="Delete it; undo brings it back">
                <PushButton aria-label={`Delete ${name}`} onClick={() => void removeVariant(id)}>
                  ×
                </PushButton>
              </Tooltip>
            </>
          )}
        </div>
      </div>
    </div>
  );
}

/** A live view: all of them turn together. */
function Pane({ id, name, showing }: { id: string; name: string; showing: boolean }) {
  const place = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const element = place.current;
    const stage = theStage();
    if (!element || !stage) return;
    return stage.attachPane(showing ? null : lookOf(id), element);
  }, [id, showing]);
  usePointer("solid", place, false, () => undefined);
  return (
    <section className={showing ? "pane on" : "pane"} aria-label={`View of ${name}`}>
      <div className="panehead">
        <b className="ell">{name}</b>
        {showing && <LightDial />}
        {showing ? <span className="quiet">shows</span> : <PushButton onClick={() => void showVariant(id || null)}>Show</PushButton>}
      </div>
      <div className="stage" ref={place} />
    </section>
  );
}

function Roles({ document }: { document: Document }) {
  const roles = document.settings.roles ?? [];
  const shown = document.variants?.find((v) => v.id === document.showing);
  return (
    <section className="card" aria-label="Swatch roles">
      <div className="chead">
        <h2>Swatch roles</h2>
      </div>
      <p className="note">
        A fill laid as a role follows its colour everywhere. Colours set here are {shown ? `those of ${shown.name}` : "the base’s"}.
      </p>
      {roles.map((r) => (
        <RoleRow
          key={`${r.id}/${toHex(r.colour)}`}
          id={r.id}
          name={r.name}
          colour={r.colour}
          own={shown?.roles?.[r.id] !== undefined}
          variant={shown?.id}
        />
      ))}
      <PushButton
        onClick={() =>
          void askedName("Add a role", "Name, e.g. Hull", "", "Add role").then((name) => {
            if (name) void addRole(name, [0.5, 0.5, 0.5]);
          })
        }
      >
        Add a role…
      </PushButton>
    </section>
  );
}

function RoleRow({ id, name, colour, own, variant }: { id: string; name: string; colour: readonly number[]; own: boolean; variant?: string }) {
  const [now, setNow] = useState(toHex(colour));
  return (
    <div className="prow">
      <input
        type="color"
        aria-label={`Colour of ${name}`}
        value={now}
        onChange={(e) => setNow(e.target.value)}
        onBlur={() => {
          const found = fromHex(now);
          if (found && now !== toHex(colour)) void colourRole(id, found);
        }}
      />
      <span className="ell grow">{name}</span>
      {own && variant && (
        <Tooltip title="Take the base’s colour again">
          <PushButton onClick={() => void forgetRole(variant, id)}>As base</PushButton>
        </Tooltip>
      )}
      <Tooltip title="Delete the role; fills keep the colour they had of their own">
        <PushButton aria-label={`Delete the role ${name}`} onClick={() => void removeRole(id)}>
          ×
        </PushButton>
      </Tooltip>
    </div>
  );
}

const SAID: Record<string, string> = {
  visible: "shown or not",
  strength: "strength",
  blend: "blend mode",
  mask: "mask",
  adjust: "adjustment",
  components: "components",
  ranges: "ranges",
  rest: "the rest",
};

/** What the variant that shows has otherwise than the base. */
function Changes({ document }: { document: Document }) {
  const shown = document.variants?.find((v) => v.id === document.showing);
  if (!shown) return <p className="note">The base shows. Show a variant to see what it has otherwise.</p>;
  const changes = shown.overrides ?? [];
  const channel = (key: string): string => document.channels.find((c) => c.id === key.slice("channels.".length))?.name.toLowerCase() ?? key;
  return (
    <section className="card" aria-label="Changes of the variant">
      <div className="chead">
        <h2>{shown.name} has otherwise</h2>
      </div>
      {!changes.length && !Object.keys(shown.roles ?? {}).length && (
        <p className="note">Nothing yet. Change a layer on the Paint screen while it shows.</p>
      )}
      {changes.map((o) => {
        const layer = findLayer(findSheet(document, o.sheet), o.layer);
        return (
          <div className="prow" key={`${o.sheet}/${o.layer}`}>
            <span className="grow ell">
              {layer ? layer.name : <i>a deleted layer</i>}{" "}
              <span className="quiet">
                {Object.keys(o.values)
                  .map((k) => SAID[k] ?? channel(k))
                  .join(", ")}
              </span>
            </span>
            <Tooltip title="Take what the base has">
              <PushButton
                aria-label={`Forget the change of ${layer?.name ?? "a deleted layer"}`}
                onClick={() => void forgetChanges(shown.id, o.sheet, o.layer)}
              >
                ×
              </PushButton>
            </Tooltip>
          </div>
        );
      })}
    </section>
  );
}
