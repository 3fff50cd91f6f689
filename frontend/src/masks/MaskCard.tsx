/** The mask editor beside the model: steps from the top down, each with a small look, and the controls of the one that is open. */
import { Menu, MenuItem, Slider, Tooltip } from "@mui/material";
import { useState } from "react";
import { useStore } from "zustand";
import { createStore } from "zustand/vanilla";
import type { Layer, Mask, MaskStep } from "../api/types";
import { chooseTarget } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import {
  addStep,
  bakeFor,
  changeMask,
  closeMask,
  copyMaskTo,
  emptyMask,
  forgetTrial,
  freshStepId,
  kindOf,
  masks,
  openLayer,
  tryMask,
  viewMask,
} from "../state/masks";
import type { MaskView } from "../state/masks";
import { Dropdown } from "../ui/Dropdown";
import { PushButton } from "../ui/PushButton";
import { Segment, Segments } from "../ui/Segments";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { ControlRow } from "./controls";
import type { Values } from "./controls";

const VIEWS: [MaskView, string, string][] = [
  ["off", "Off", "The views show the surface"],
  ["grey", "Grey", "The views show the mask: black hides, white reveals"],
  ["over", "Over", "The mask lies in violet over the lit surface"],
];
/** How a source is laid on what is under it, and the sign for it in a narrow row. */
const COMBINES = { replace: "=", multiply: "×", add: "+", subtract: "−", max: "max", min: "min" } as const;

export function MaskCard() {
  const open = useStore(masks, (s) => s.open);
  const view = useStore(masks, (s) => s.view);
  const solo = useStore(masks, (s) => s.solo);
  useWorkshop((s) => s.project?.document);
  const here = openLayer();
  if (!open || !here) return null;
  return (
    <section className="card maskcard" aria-label={`Mask of ${here.layer.name}`}>
      <div className="chead">
        <h2>Mask</h2>
        <span className="quiet ell">{here.layer.name}</span>
        <div className="right">
          <Tooltip title="Close the mask">
            <button className="iconbtn small" aria-label="Close the mask" onClick={closeMask}>
              ×
            </button>
          </Tooltip>
        </div>
      </div>
      <div className="prow">
        <span className="label quiet">In the views</span>
        <Segments label="Mask in the views">
          {VIEWS.map(([id, name, hint]) => (
            <Tooltip key={id} title={hint}>
              <Segment on={view === id} onChoose={() => viewMask(id, id === "off" ? null : solo)}>
                {name}
              </Segment>
            </Tooltip>
          ))}
        </Segments>
      </div>
      <Steps key={`${here.layer.id}/${JSON.stringify(here.layer.mask)}`} layer={here.layer} mask={here.layer.mask ?? emptyMask()} />
    </section>
  );
}

/** Keyed by the stored mask: what is tried lives here until it is taken, or another state arrives. */
function Steps({ layer, mask }: { layer: Layer; mask: Mask }) {
  const [draft, setDraft] = useState(mask);
  const unfolded = useStore(unfoldedStore, (s) => s.step);
  const attempt = (next: Mask): void => {
    setDraft(next);
    tryMask(next);
  };
  const take = (next: Mask, label: string): void => {
    setDraft(next);
    void changeMask(next, label);
  };
  const steps = [...draft.sources].reverse();
  return (
    <>
      <Bar layer={layer} mask={draft} onTake={take} />
      {!steps.length && <p className="note">The layer shows everywhere. Add a source: each kind already shows something, then adjust it.</p>}
      <ol className="steps" aria-label="Steps of the mask, from the top">
        {steps.map((step) => (
          <StepRow key={step.id} step={step} mask={draft} layer={layer} open={unfolded === step.id} onTry={attempt} onTake={take} />
        ))}
      </ol>
    </>
  );
}

/** Which step is unfolded; it stays so when a new state of the mask arrives. */
const unfoldedStore = createStore<{ step: string | null }>(() => ({ step: null }));

function Bar({ layer, mask, onTake }: { layer: Layer; mask: Mask; onTake: (mask: Mask, label: string) => void }) {
  const stack = useWorkshop((s) => s.registries?.stack);
  const copied = useStore(masks, (s) => s.copied);
  const open = useStore(masks, (s) => s.open);
  const [menu, setMenu] = useState<{ at: HTMLElement; what: "source" | "shaper" | "more" } | null>(null);
  const close = (): void => setMenu(null);
  const add = (kind: string, more: Record<string, unknown> = {}): void => {
    close();
    void addStep(layer, kind, more).then((id) => id && unfoldedStore.setState({ step: id }));
  };
  const groups: [string, string][] = [
    ["hand", "By hand"],
    ["surface", "From the surface"],
    ["pattern", "Patterns"],
    ["other", "From other layers"],
  ];
  return (
    <div className="prow">
      <PushButton aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: "source" })}>
        <Icon name="plus" /> Source
      </PushButton>
      <PushButton aria-haspopup="menu" disabled={!mask.sources.length} onClick={(e) => setMenu({ at: e.currentTarget, what: "shaper" })}>
        <Icon name="plus" /> Shaper
      </PushButton>
      <span className="push" />
      <PushButton aria-haspopup="menu" onClick={(e) => setMenu({ at: e.currentTarget, what: "more" })}>
        More
      </PushButton>
      <Menu anchorEl={menu?.at} open={menu?.what === "source"} onClose={close} slotProps={{ paper: { sx: { maxHeight: 460 } } }}>
        {groups.flatMap(([id, title]) => [
          <li key={id} className="mhead">
            {title}
          </li>,
          ...(stack?.sources ?? [])
            .filter((k) => k.group === id)
            .flatMap((k) =>
              k.id === "painted"
                ? [
                    <MenuItem key="painted0" onClick={() => add("painted", { base: 0, combine: mask.sources.length ? "add" : "replace" })}>
                      Paint to reveal <span className="quiet">&nbsp;· starts hidden</span>
                    </MenuItem>,
                    <MenuItem key="painted1" onClick={() => add("painted", { base: 1 })}>
                      Paint to hide <span className="quiet">&nbsp;· starts revealed</span>
                    </MenuItem>,
                  ]
                : [
                    <MenuItem key={k.id} onClick={() => add(k.id)}>
                      {k.name} <span className="quiet">&nbsp;· {k.hint}</span>
                    </MenuItem>,
                  ],
            ),
        ])}
      </Menu>
      <Menu anchorEl={menu?.at} open={menu?.what === "shaper"} onClose={close}>
        {stack?.shapers.map((k) => (
          <MenuItem key={k.id} onClick={() => add(k.id)}>
            {k.name} <span className="quiet">&nbsp;· {k.hint}</span>
          </MenuItem>
        ))}
      </Menu>
      <Menu anchorEl={menu?.at} open={menu?.what === "more"} onClose={close}>
        <MenuItem
          onClick={() => {
            close();
            onTake({ ...mask, invert: !mask.invert }, `Invert the mask of ${layer.name}`);
          }}
        >
          {mask.invert ? "Turn the mask back" : "Invert the mask"}
        </MenuItem>
        <MenuItem
          onClick={() => {
            close();
            onTake({ ...mask, on: !mask.on }, `Switch the mask of ${layer.name}`);
          }}
        >
          {mask.on ? "Switch the mask off" : "Switch the mask on"}
        </MenuItem>
        <MenuItem
          disabled={!mask.sources.length}
          onClick={() => {
            close();
            if (open) masks.setState({ copied: open });
          }}
        >
          Copy the mask
        </MenuItem>
        {copied && copied.layer !== layer.id && copied.sheet === open?.sheet && (
          <MenuItem
            onClick={() => {
              close();
              void copyMaskTo(layer);
            }}
          >
            Put the copied mask here
          </MenuItem>
        )}
        <MenuItem
          disabled={!mask.sources.length}
          onClick={() => {
            close();
            void changeMask(null, `Remove the mask of ${layer.name}`);
          }}
        >
          Remove the mask
        </MenuItem>
      </Menu>
    </div>
  );
}

interface StepProps {
  step: MaskStep;
  mask: Mask;
  layer: Layer;
  open: boolean;
  onTry: (mask: Mask) => void;
  onTake: (mask: Mask, label: string) => void;
}

function StepRow({ step, mask, layer, open, onTry, onTake }: StepProps) {
  const picture = useStore(masks, (s) => s.pictures[step.id]);
  const solo = useStore(masks, (s) => s.solo === step.id);
  const target = useWorkshop((s) => s.target);
  const sheet = useWorkshop((s) => s.sheet);
  const waits = useWorkshop((s) => s.waiting[layer.id]?.includes(step.id) ?? false);
  const kind = kindOf(step.kind);
  const name = kind?.name ?? (step.kind === "unknown" ? `Unknown: ${step.of}` : step.kind);
  const source = "combine" in step;
  const with_ = (change: Values): Mask => ({ ...mask, sources: mask.sources.map((s) => (s.id === step.id ? ({ ...s, ...change } as MaskStep) : s)) });
  const take = (change: Values): void => onTake(with_(change), `${name} in the mask of ${layer.name}`);
  const at = mask.sources.findIndex((s) => s.id === step.id);
  const move = (by: number): void => {
    const to = at + by;
    if (to < 0 || to >= mask.sources.length) return;
    const list = mask.sources.filter((s) => s.id !== step.id);
    list.splice(to, 0, step);
    onTake({ ...mask, sources: list }, `Move ${name} in the mask of ${layer.name}`);
  };
  const paints = step.kind === "painted" && target?.mask === step.id && target.layer === layer.id;
  const unfold = (): void => {
    unfoldedStore.setState({ step: open ? null : step.id });
    if (step.kind === "painted" && sheet) chooseTarget({ sheet, layer: layer.id, channels: [], mask: step.id, mesh_map: null });
    masks.setState({ handles: !open && (step.kind === "gradient" || step.kind === "image") ? step.id : null, picking: null });
  };
  return (
    <li className={["mstep", !step.on && "off", paints && "hit"].filter(Boolean).join(" ")} aria-label={name}>
      <div className="srow">
        <Tooltip title={step.on ? "Leave this step out" : "Let this step count"}>
          <button className="iconbtn small" aria-label={`Step ${name} on`} aria-pressed={step.on} onClick={() => take({ on: !step.on })}>
            <Icon name={step.on ? "eye" : "closed"} size={15} />
          </button>
        </Tooltip>
        {source ? (
          <Tooltip title={solo ? "Show the whole mask again" : "Show this source alone in the views"}>
            <button
              className="look"
              aria-label={`Show ${name} alone`}
              aria-pressed={solo}
              onClick={() => (solo ? viewMask("off") : viewMask("grey", step.id))}
            >
              {picture ? <img src={picture} alt="" /> : null}
            </button>
          </Tooltip>
        ) : (
          <span className="look shaper" aria-hidden="true">
            ƒ
          </span>
        )}
        <button
          className="text ell"
          aria-expanded={open}
          title="Press to open; Alt+↑ or ↓ to move"
          onClick={unfold}
          onKeyDown={(e) => {
            if (e.altKey && (e.key === "ArrowUp" || e.key === "ArrowDown")) {
              e.preventDefault();
              move(e.key === "ArrowUp" ? 1 : -1);
            }
          }}
        >
          {step.kind === "painted" ? (paints ? "Painted · target" : "Painted") : name}
        </button>
        {source && at > 0 && (
          <Dropdown
            label={`How ${name} combines`}
            value={step.combine}
            options={Object.entries(COMBINES).map(([id, sign]) => ({ id, name: sign }))}
            onChoose={(id) => take({ combine: id })}
            sx={{ width: 58 }}
          />
        )}
        <Slider
          size="small"
          sx={{ width: 40, flex: "none" }}
          aria-label={`Strength of ${name}`}
          value={step.strength}
          min={0}
          max={1}
          step={0.01}
          onChange={(_, v) => onTry(with_({ strength: v }))}
          onChangeCommitted={(_, v) => take({ strength: v })}
        />
      </div>
      {waits && <Waits needs={kind?.needs ?? null} kind={step.kind} />}
      {open && (
        <div className="sbody">
          {kind?.controls.map((c) => (
            <ControlRow
              key={c.id}
              control={c}
              values={step as unknown as Values}
              owner={step}
              onTry={(change) => onTry(with_(change))}
              onTake={take}
            />
          ))}
          <div className="prow">
            {source && (
              <Toggle on={step.invert} onToggle={() => take({ invert: !step.invert })}>
                Invert
              </Toggle>
            )}
            <span className="push" />
            <Tooltip title="Further up (Alt+↑)">
              <button className="iconbtn small" aria-label={`Move ${name} up`} disabled={at === mask.sources.length - 1} onClick={() => move(1)}>
                ↑
              </button>
            </Tooltip>
            <Tooltip title="Further down (Alt+↓)">
              <button className="iconbtn small" aria-label={`Move ${name} down`} disabled={at === 0} onClick={() => move(-1)}>
                ↓
              </button>
            </Tooltip>
            {step.kind !== "painted" && (
              <Tooltip title="Another one like this above it">
                <button
                  className="iconbtn small"
                  aria-label={`Duplicate ${name}`}
                  onClick={() =>
                    onTake(
                      {
                        ...mask,
                        sources: [...mask.sources.slice(0, at + 1), { ...step, id: freshStepId(mask) } as MaskStep, ...mask.sources.slice(at + 1)],
                      },
                      `Duplicate ${name} in the mask of ${layer.name}`,
                    )
                  }
                >
                  <Icon name="copy" />
                </button>
              </Tooltip>
            )}
            <Tooltip title="Take this step away">
              <button
                className="iconbtn small"
                aria-label={`Remove ${name}`}
                onClick={() => {
                  forgetTrial();
                  if (paints) chooseTarget(null);
                  if (solo) viewMask("off");
                  onTake({ ...mask, sources: mask.sources.filter((s) => s.id !== step.id) }, `Remove ${name} from the mask of ${layer.name}`);
                }}
              >
                <Icon name="bin" />
              </button>
            </Tooltip>
          </div>
        </div>
      )}
    </li>
  );
}

/** Why a step says nothing yet, and what to do about it. */
function Waits({ needs, kind }: { needs: string | null; kind: string }) {
  const maps = useWorkshop((s) => s.registries?.bake.maps);
  const sheet = useWorkshop((s) => s.project?.document.sheets.find((x) => x.id === s.sheet));
  const map = maps?.find((m) => m.id === needs);
  if (map && !sheet?.mesh_maps.some((m) => m.id === map.id)) {
    return (
      <div className="prow waits" role="status">
        <span className="first">Needs {map.name}, which is not baked.</span>
        <Tooltip title={`Bake ${map.name} of this sheet with the usual settings`}>
          <PushButton onClick={() => void bakeFor(map.id)}>Bake it</PushButton>
        </Tooltip>
      </div>
    );
  }
  return (
    <div className="prow waits" role="status">
      {kindOf(kind)?.waits ?? "It comes from a plug-in that is not installed here. It is kept, but has no effect."}
    </div>
  );
}
