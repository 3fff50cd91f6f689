import { Tooltip } from "@mui/material";
import { useStore } from "zustand";
import { useWorkshop } from "../state/hooks";
import { abandon, confirm, setShaping, shaping } from "../state/shaping";
import { hint } from "../tools/commands";
import { PushButton } from "../ui/PushButton";
import { Toggle } from "../ui/Toggle";
import { NamedSlider } from "../ui/sliders";
import { ChoiceRow } from "../ui/ChoiceRow";

/** What a line is, or a row of stamps along it, and how a stamp lies. */
export function LineCard() {
  const stamp = useWorkshop((s) => s.tool === "stamp");
  const s = useStore(shaping);
  const bends = (
    <ChoiceRow
      label="Lies"
      options={[
        ["first", "Round", "The stamp bends with the surface and keeps its lengths"],
        ["second", "Flat", "The stamp is pressed flat through the surface"],
      ]}
      value={s.bend ? "first" : "second"}
      onChange={(chosen) => void (chosen === "first" ? setShaping({ bend: true }) : setShaping({ bend: false }))}
    />
  );
  if (stamp) {
    return (
      <section className="card" aria-label="Stamp settings">
        <div className="chead">
          <h2>Stamp</h2>
        </div>
        {bends}
        <p className="note">Press where it goes, drag for size and turn, let go. Escape drops it.</p>
      </section>
    );
  }
  return (
    <section className="card" aria-label="Line settings">
      <div className="chead">
        <h2>Line</h2>
        <span className="right">{s.points.length ? `${s.points.length} ${s.points.length === 1 ? "point" : "points"}` : "press to begin"}</span>
      </div>
      <ChoiceRow
        label="Runs"
        options={[
          ["line", "Straight", "Straight from point to point; Ctrl keeps to steps of 15°"],
          ["curve", "Curved", "A smooth curve through the points"],
        ]}
        value={s.kind}
        onChange={(kind) => setShaping({ kind })}
      />
      <div className="prow">
        <span className="label">Ends</span>
        <Tooltip title="The line goes back to its first point">
          <Toggle on={s.closed} onToggle={() => setShaping({ closed: !s.closed })}>
            Closed
          </Toggle>
        </Tooltip>
        <Tooltip title="Fill what a closed line encloses, to its exact edge, as the view shows it">
          <Toggle on={s.closed && s.filled && !s.rows} onToggle={() => setShaping({ filled: !s.filled })} disabled={!s.closed || s.rows}>
            Filled
          </Toggle>
        </Tooltip>
        <Tooltip title="Points near an edge of the model move onto it, and a line between two of them follows it">
          <Toggle on={s.snap} onToggle={() => setShaping({ snap: !s.snap })} aria-label="Snaps to edges">
            Snaps
          </Toggle>
        </Tooltip>
      </div>
      {s.closed && s.filled && !s.rows && (
        <ChoiceRow
          label="Crossings"
          options={[
            ["nonzero", "Filled", "Where the line crosses itself, all that it goes around is filled"],
            ["evenodd", "Hollow", "Where the line crosses itself, every other region stays empty"],
          ]}
          value={s.rule}
          onChange={(rule) => setShaping({ rule })}
        />
      )}
      <ChoiceRow
        label="Lays"
        options={[
          ["stroke", "Stroke", "A stroke of the brush"],
          ["row", "Row of stamps", "Single stamps of the tip: rivets, stitches, bolts"],
        ]}
        value={s.rows ? "row" : "stroke"}
        onChange={(lays) => setShaping({ rows: lays === "row" })}
      />
      {s.rows && <RowSettings />}
      {s.rows && bends}
      <div className="prow">
        <Tooltip title={hint("Keep the line as it is", "confirm")}>
          <PushButton disabled={s.points.length < 2} onClick={() => void confirm()}>
            Keep
          </PushButton>
        </Tooltip>
        <Tooltip title={hint("Drop the line", "abandon")}>
          <PushButton disabled={!s.points.length} onClick={abandon}>
            Drop
          </PushButton>
        </Tooltip>
      </div>
      <p className="note">
        {s.points.length
          ? "Drag its points; press on to go on; Backspace takes the last one back."
          : "Press and drag on the model or the sheet. It stays editable until you keep it."}
      </p>
    </section>
  );
}

function RowSettings() {
  const row = useStore(shaping, (s) => s.row);
  const set = (change: Partial<typeof row>): void => setShaping({ row: { ...row, ...change } });
  return (
    <>
      <ChoiceRow
        label="Spaced"
        options={[
          ["space", "By distance", "So many diameters apart, drawn in or out to fill the line"],
          ["count", "By count", "So many in all"],
        ]}
        value={row.count === null ? "space" : "count"}
        onChange={(by) => set({ count: by === "count" ? 12 : null })}
      />
      {row.count === null ? (
        <NamedSlider
          label="Apart"
          title="Diameters from one stamp to the next"
          value={row.spacing}
          low={0.2}
          high={12}
          step={0.05}
          unit="number"
          log
          onChange={(spacing) => set({ spacing })}
        />
      ) : (
        <NamedSlider
          label="Count"
          title="Stamps along the line"
          value={row.count}
          low={2}
          high={200}
          step={1}
          unit="count"
          log
          onChange={(count) => set({ count: Math.round(count) })}
        />
      )}
      <ChoiceRow
        label="Turned"
        options={[
          ["along", "Along", "Each stamp turns with the line"],
          ["fixed", "As it is", "Each stamp keeps the brush's own angle"],
        ]}
        value={row.align}
        onChange={(align) => set({ align })}
      />
      <ChoiceRow
        label="Every other"
        options={[
          ["none", "Same", "All stamps alike"],
          ["flip", "Mirror", "Every other stamp is mirrored"],
          ["turn", "Turn", "Every other stamp is turned half round"],
        ]}
        value={row.alternate}
        onChange={(alternate) => set({ alternate })}
      />
    </>
  );
}
