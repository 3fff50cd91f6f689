import { Tooltip } from "@mui/material";
import { useState } from "react";
import { useStore } from "zustand";
import type { FacePick } from "../api/types";
import { hide } from "../state/edits";
import { useDocument, useWorkshop } from "../state/hooks";
import { dropSet, groupsFromColours, keepPicked, outline, showPicked } from "../state/picking";
import { flood } from "../state/strokes";
import { workshop } from "../state/workshop";
import { PushButton } from "../ui/PushButton";
import { TextInput } from "../ui/TextInput";
import { Toggle } from "../ui/Toggle";
import { Icon } from "../ui/icons";
import { NamedSlider } from "../ui/sliders";
import { BlendChoice } from "./BlendChoice";
import { ChoiceRow } from "../ui/ChoiceRow";

const MORE = [
  ["colour", "Colour range", "Everything that looks like the place you press"],
  ["id", "Id colour", "Everything with the baked id colour you press"],
  ["box", "Box", "Faces inside a box you draw; Shift adds to those picked"],
  ["lasso", "Lasso", "Faces inside a line you draw; Shift adds to those picked"],
  ["gradient", "Gradient", "From the first colour to the second, between two ends on the model"],
] as const;

/** What Fill covers, how strongly, and in which blend mode. */
export function FillCard() {
  const kinds = useWorkshop((s) => s.registries?.pick_kinds);
  const by = useWorkshop((s) => s.fillBy);
  const strength = useWorkshop((s) => s.fillStrength);
  const all = [...(kinds ?? []).map((k) => [k.id, k.name, k.hint] as const), ...MORE];
  const about: Record<string, string> = {
    box: "Draw over either view, then fill what is picked.",
    lasso: "Draw over either view, then fill what is picked.",
    gradient: "Press and drag over the 3D view; move the two ends; then fill.",
  };
  return (
    <section className="card" aria-label="Fill settings">
      <div className="chead">
        <h2>Fill</h2>
      </div>
      <div className="prow" role="group" aria-label="What is filled">
        {all.map(([id, name, hint]) => (
          <Tooltip key={id} title={hint}>
            <Toggle on={by === id} onToggle={() => workshop.setState({ fillBy: id })}>
              {name}
            </Toggle>
          </Tooltip>
        ))}
      </div>
      <NamedSlider
        label="Strength"
        title="How far the values move"
        value={strength}
        low={0.01}
        high={1}
        step={0.01}
        unit="percent"
        onChange={(v) => workshop.setState({ fillStrength: v })}
      />
      <BlendChoice />
      {by === "colour" && <Range />}
      {(by === "box" || by === "lasso") && <Behind />}
      {by === "gradient" && <GradientFill />}
      {by === "colour" && <FromColours />}
      <Picked />
      <p className="note">
        {about[by] ?? "Press a place in either view. At less than full strength a fill moves the values part of the way, and can be repeated."}
      </p>
    </section>
  );
}

function Range() {
  const confine = useWorkshop((s) => s.confine);
  return (
    <NamedSlider
      label="Tolerance"
      title="How different a colour may look"
      value={confine.tolerance}
      low={0}
      high={0.5}
      step={0.005}
      unit="number"
      onChange={(tolerance) => workshop.setState({ confine: { ...confine, tolerance } })}
    />
  );
}

function Behind() {
  const behind = useStore(outline, (s) => s.behind);
  return (
    <ChoiceRow
      label="Takes"
      options={[
        ["first", "What shows", "Only faces that show in the view"],
        ["second", "All behind", "And faces hidden behind them"],
      ]}
      value={behind ? "second" : "first"}
      onChange={(chosen) => void (chosen === "first" ? outline.setState({ behind: false }) : outline.setState({ behind: true }))}
    />
  );
}

function GradientFill() {
  const gradient = useWorkshop((s) => s.gradient);
  const picked = useWorkshop((s) => s.picked);
  return (
    <>
      <ChoiceRow
        label="Goes"
        options={[
          ["line", "Along a line", "Even across the line between the ends"],
          ["ball", "Outwards", "Round the first end"],
        ]}
        value={gradient?.form ?? "line"}
        onChange={(form) => workshop.setState({ gradient: gradient ? { ...gradient, form } : { form, start: [0, 0, 0], end: [0, 0, 0] } })}
      />
      <div className="prow">
        <Tooltip title={picked.length ? "Fill the picked faces along the gradient" : "Fill the sheet along the gradient"}>
          <PushButton disabled={!gradient} onClick={() => void flood(picked.length ? picked : null, gradient)}>
            Fill the gradient
          </PushButton>
        </Tooltip>
      </div>
    </>
  );
}

/** Face groups from what is painted: of the current colour, or by all the colours there are. */
function FromColours() {
  const sheet = useWorkshop((s) => s.sheet);
  const tolerance = useWorkshop((s) => s.confine.tolerance);
  const [count, setCount] = useState(4);
  if (!sheet) return null;
  const wanted = { sheet, tolerance, count, name: "" };
  return (
    <>
      <div className="prow" role="group" aria-label="Groups from colours">
        <span className="label">Make groups</span>
        <Tooltip title="Keep the faces near the current colour as a group">
          <PushButton onClick={() => void groupsFromColours(wanted, true)}>This colour</PushButton>
        </Tooltip>
        <Tooltip title="Divide all faces by the colours that are painted, and keep each part as a group">
          <PushButton onClick={() => void groupsFromColours(wanted, false)}>All colours</PushButton>
        </Tooltip>
      </div>
      <NamedSlider
        label="Into"
        title="How many groups all colours make"
        value={count}
        low={2}
        high={12}
        step={1}
        unit="count"
        reset={4}
        onChange={(v) => setCount(Math.round(v))}
      />
    </>
  );
}

/** Picked faces hidden, or shown alone; what is hidden is safe from brush and fill. */
function Seen({ picked }: { picked: readonly FacePick[] }) {
  const document = useDocument();
  const [hidden, shown] = [document?.hidden_picks ?? [], document?.shown_picks ?? []];
  const parts = document?.hidden_parts ?? [];
  if (!picked.length && !hidden.length && !shown.length) return null;
  return (
    <div className="prow" role="group" aria-label="What shows">
      <span className="label">Show</span>
      {picked.length > 0 && (
        <>
          <Tooltip title="Hide the picked faces; brush and fill leave them as they are">
            <PushButton onClick={() => void hide(parts, [...hidden, ...picked], shown)}>Without them</PushButton>
          </Tooltip>
          <Tooltip title="Hide all but the picked faces">
            <PushButton onClick={() => void hide(parts, [], picked)}>Only them</PushButton>
          </Tooltip>
        </>
      )}
      {(hidden.length > 0 || shown.length > 0) && (
        <Tooltip title="Show all faces again, but for hidden parts">
          <PushButton onClick={() => void hide(parts, [], [])}>All faces</PushButton>
        </Tooltip>
      )}
    </div>
  );
}

/** Faces picked by box or lasso: filled, kept under a name, taken up again. */
function Picked() {
  const picked = useWorkshop((s) => s.picked);
  const by = useWorkshop((s) => s.fillBy);
  const document = useDocument();
  const sets = document?.face_sets ?? [];
  const away = document?.hidden_picks?.length || document?.shown_picks?.length;
  const [name, setName] = useState("");
  if (!picked.length && !sets.length && !away) return null;
  return (
    <>
      {picked.length > 0 && (
        <div className="prow">
          <span className="label">Picked</span>
          <Tooltip title="Fill the picked faces">
            <PushButton disabled={by === "gradient"} onClick={() => void flood(picked)}>
              Fill them
            </PushButton>
          </Tooltip>
          <Tooltip title="Let go of the picked faces">
            <PushButton onClick={() => showPicked([], null)}>Let go</PushButton>
          </Tooltip>
        </div>
      )}
      <Seen picked={picked} />
      {picked.length > 0 && (
        <form
          className="prow"
          onSubmit={(e) => {
            e.preventDefault();
            if (name.trim()) void keepPicked(name.trim());
          }}
        >
          <label className="label" htmlFor="face-group">
            Keep as
          </label>
          <TextInput sx={{ width: 96 }} id="face-group" value={name} maxLength={80} placeholder="a name" onChange={(e) => setName(e.target.value)} />
          <Tooltip title="Keep the picked faces as a group; the same name replaces it">
            <PushButton type="submit" disabled={!name.trim()}>
              Keep
            </PushButton>
          </Tooltip>
        </form>
      )}
      {sets.length > 0 && (
        <div className="prow" role="group" aria-label="Kept face groups">
          <span className="label">Groups</span>
          {sets.map((s) => (
            <span key={s.id} className="pair-btn">
              <Tooltip title={`Take up the faces of ${s.name}`}>
                <PushButton
                  onClick={() => {
                    showPicked(s.picks, null);
                    setName(s.name);
                  }}
                >
                  {s.name}
                </PushButton>
              </Tooltip>
              <Tooltip title={`Remove the group ${s.name}`}>
                <button className="iconbtn small" aria-label={`Remove ${s.name}`} onClick={() => void dropSet(s.id)}>
                  <Icon name="minus" />
                </button>
              </Tooltip>
            </span>
          ))}
        </div>
      )}
    </>
  );
}
