/** Choices that reach beyond one number: directions, faces, colours, layers, pictures. */
import { Tooltip } from "@mui/material";
import { useRef } from "react";
import { useStore } from "zustand";
import { api } from "../api/client";
import type { FacePick } from "../api/types";
import { fromHex, toHex } from "../state/colour";
import { refresh } from "../state/following";
import { useDocument, useSheet, useWorkshop } from "../state/hooks";
import { rows } from "../state/layers";
import { masks } from "../state/masks";
import { say } from "../state/messages";
import { theStage } from "../state/stage";
import { workshop } from "../state/workshop";
import { Dropdown } from "../ui/Dropdown";
import { FileInput } from "../ui/FileInput";
import { GroupChoice } from "../ui/GroupChoice";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { TextInput } from "../ui/TextInput";
import { Toggle } from "../ui/Toggle";
import type { ControlProps } from "./controls";
import { accepted } from "../state/registries";

const AXES: [string, [number, number, number]][] = [
  ["+X", [1, 0, 0]],
  ["−X", [-1, 0, 0]],
  ["+Y", [0, 1, 0]],
  ["−Y", [0, -1, 0]],
  ["+Z", [0, 0, 1]],
  ["−Z", [0, 0, -1]],
];

/** An axis, the light, or three numbers. */
export function DirectionChoice({ control, values, onTake }: ControlProps) {
  const value = values[control.id] as [number, number, number];
  const same = (v: readonly number[]): boolean => v.every((x, i) => Math.abs(x - (value[i] ?? 0)) < 1e-6);
  return (
    <>
      <div className="prow">
        <Tooltip title={control.hint} placement="left">
          <span className="label">{control.name}</span>
        </Tooltip>
        <Segments label={control.name}>
          {AXES.map(([name, axis]) => (
            <Segment on={same(axis)} onChoose={() => onTake({ [control.id]: axis })} key={name}>
              {name}
            </Segment>
          ))}
        </Segments>
      </div>
      <div className="prow">
        <span className="label quiet">As numbers</span>
        {[0, 1, 2].map((i) => (
          <TextInput
            sx={{ width: 46 }}
            key={`${i}/${value[i]}`}
            aria-label={`${control.name}, ${"XYZ"[i]}`}
            defaultValue={(value[i] ?? 0).toFixed(2).replace(/\.?0+$/, "")}
            onBlur={(e) => {
              const number = Number(e.target.value);
              const next = value.map((v, k) => (k === i ? number : v));
              if (Number.isFinite(number) && number !== value[i] && next.some((v) => v !== 0)) onTake({ [control.id]: next });
            }}
            onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
          />
        ))}
        <Tooltip title="Take the direction the light comes from now">
          <PushButton onClick={() => onTake({ [control.id]: theStage()?.lightFrom() ?? [0, 1, 0] })}>Light</PushButton>
        </Tooltip>
      </div>
    </>
  );
}

/** How much longer noise is along each axis. */
export function Stretch({ control, values, onTake }: ControlProps) {
  const value = values[control.id] as number[];
  return (
    <div className="prow">
      <Tooltip title={control.hint} placement="left">
        <span className="label">{control.name}</span>
      </Tooltip>
      {[0, 1, 2].map((i) => (
        <TextInput
          sx={{ width: 46 }}
          key={`${i}/${value[i]}`}
          aria-label={`${control.name} along ${"XYZ"[i]}`}
          defaultValue={String(value[i] ?? 1)}
          onBlur={(e) => {
            const number = Number(e.target.value);
            if (number >= 0.02 && number <= 50 && number !== value[i]) onTake({ [control.id]: value.map((v, k) => (k === i ? number : v)) });
          }}
          onKeyDown={(e) => e.key === "Enter" && e.currentTarget.blur()}
        />
      ))}
    </div>
  );
}

/** Colours taken from the model, each with a way to take it off again. */
export function ColourList({ control, values, owner, onTake }: ControlProps) {
  const colours = (values.colours ?? []) as number[][];
  const picking = useStore(masks, (s) => s.picking?.step === owner.id && s.picking.what === "colours");
  return (
    <div className="prow">
      <Tooltip title={control.hint} placement="left">
        <span className="label">{control.name}</span>
      </Tooltip>
      {colours.map((c, i) => (
        <span key={i} className="pair-btn">
          <Tooltip title="Press to take this colour off">
            <button
              className="chip"
              aria-label={`Take colour ${i + 1} off`}
              style={{ background: toHex(c), width: 22, height: 22, borderRadius: 4, border: "1px solid var(--line)" }}
              onClick={() => onTake({ colours: colours.filter((_, k) => k !== i) })}
            />
          </Tooltip>
        </span>
      ))}
      <Tooltip title="Then press on the model; every press adds a colour">
        <Toggle plain on={picking} onToggle={() => masks.setState({ picking: picking ? null : { step: owner.id, what: "colours" } })}>
          Pick
        </Toggle>
      </Tooltip>
      {owner.kind === "colour_range" && (
        <TextInput
          sx={{ width: 74 }}
          aria-label="Colour as #rrggbb"
          placeholder="#rrggbb"
          onKeyDown={(e) => {
            const colour = fromHex(e.currentTarget.value);
            if (e.key !== "Enter" || !colour) return;
            e.currentTarget.value = "";
            onTake({ colours: [...colours, colour] });
          }}
        />
      )}
    </div>
  );
}

/** Picks that are named one by one; a lasso finds hundreds. */
const MOST_NAMED = 12;

/** Faces picked on the model, by what they belong to. */
export function PickList({ values, owner, onTake }: ControlProps) {
  const picks = (values.picks ?? []) as FacePick[];
  const parts = useWorkshop((s) => s.model?.parts);
  const kinds = useWorkshop((s) => s.registries?.pick_kinds)?.filter((k) => k.id !== "sheet");
  const picking = useStore(masks, (s) => s.picking?.step === owner.id);
  const by = useStore(masks, (s) => s.pickBy);
  const name = (p: FacePick): string => (p.by === "part" ? (parts?.[p.index]?.name ?? "part") : `${p.by} ${p.index + 1}`);
  return (
    <>
      <div className="prow">
        <Dropdown
          label="Pick by"
          value={by}
          options={kinds ?? []}
          onChoose={(id) => masks.setState({ pickBy: id as FacePick["by"] })}
          sx={{ marginRight: "auto" }}
        />
        <Tooltip title="Then press on the model; a second press takes a pick off">
          <Toggle plain on={picking} onToggle={() => masks.setState({ picking: picking ? null : { step: owner.id, what: "picks" } })}>
            Pick on the model
          </Toggle>
        </Tooltip>
      </div>
      <div className="prow">
        <Dropdown
          label="Reveal a part"
          value=""
          options={[{ id: "", name: "Add a part…" }, ...(parts ?? []).map((p, i) => ({ id: String(i), name: p.name }))]}
          onChoose={(id) => {
            const index = Number(id);
            if (id && !picks.some((p) => p.by === "part" && p.index === index)) onTake({ picks: [...picks, { by: "part", index }] });
          }}
        />
        <GroupChoice
          about="Add the faces of a kept face group"
          onTake={(more) => onTake({ picks: [...picks, ...more.filter((m) => !picks.some((p) => p.by === m.by && p.index === m.index))] })}
        />
        {picks.length > MOST_NAMED ? (
          <button className="src" title="Take them off" aria-label="Take all picks off" onClick={() => onTake({ picks: [] })}>
            {picks.length} picks ×
          </button>
        ) : (
          picks.map((p, i) => (
            <button
              key={`${p.by}${p.index}`}
              className="src"
              title="Take it off"
              aria-label={`Take ${name(p)} off`}
              onClick={() => onTake({ picks: picks.filter((_, k) => k !== i) })}
            >
              {name(p)} ×
            </button>
          ))
        )}
      </div>
    </>
  );
}

/** Another layer, and what of it is read. */
export function LayerChoice({ control, values, onTake }: ControlProps) {
  const sheet = useSheet();
  const document = useDocument();
  const open = useStore(masks, (s) => s.open);
  const list = sheet ? rows(sheet).filter((r) => r.layer.id !== open?.layer) : [];
  const layer = list.find((r) => r.layer.id === values.layer)?.layer;
  const holds = layer?.kind === "paint" || layer?.kind === "fill";
  return (
    <div className="prow">
      <Tooltip title={control.hint} placement="left">
        <span className="label">{control.name}</span>
      </Tooltip>
      <Dropdown
        label="Layer that is read"
        value={(values.layer as string | null) ?? ""}
        options={[{ id: "", name: "Choose…" }, ...list.map((r) => ({ id: r.layer.id, name: r.layer.name }))]}
        onChoose={(id) => onTake({ layer: id || null })}
        sx={{ maxWidth: 120 }}
      />
      <Dropdown
        label="Part that is read"
        value={values.part as string}
        options={[
          { id: "mask", name: "its mask" },
          ...(holds ? (document?.channels ?? []).map((c) => ({ id: c.id, name: `its ${c.name.toLowerCase()}` })) : []),
        ]}
        onChoose={(id) => onTake({ part: id })}
        sx={{ maxWidth: 110 }}
      />
    </div>
  );
}

/** A picture of the project, or one from a file. */
export function ImageChoice({ control, values, onTake }: Pick<ControlProps, "control" | "values" | "onTake">) {
  const images = useDocument()?.images ?? [];
  const file = useRef<HTMLInputElement>(null);
  const bring = async (chosen: File): Promise<void> => {
    const { uid } = workshop.getState();
    if (!uid) return;
    const form = new FormData();
    form.append("file", chosen, chosen.name);
    try {
      const image = await api.bringImage(uid, form);
      await refresh();
      onTake({ image });
    } catch (error) {
      say((error as Error).message, true);
    }
  };
  return (
    <div className="prow">
      <Tooltip title={control.hint} placement="left">
        <span className="label">{control.name}</span>
      </Tooltip>
      <Dropdown
        label="Picture"
        value={(values.image as string | null) ?? ""}
        options={[{ id: "", name: "Choose…" }, ...images.map((i) => ({ id: i.key, name: `${i.name} · ${i.width} × ${i.height}` }))]}
        onChoose={(id) => onTake({ image: id || null })}
        sx={{ maxWidth: 120 }}
      />
      <Tooltip title="Import an image from a file">
        <PushButton onClick={() => file.current?.click()}>From a file</PushButton>
      </Tooltip>
      <FileInput input={file} accept={accepted("pictures")} label="Picture file" onFile={(chosen) => void bring(chosen)} />
    </div>
  );
}
