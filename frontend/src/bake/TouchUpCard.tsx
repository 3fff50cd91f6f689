import { ControlRow } from "../masks/controls";
import type { Values } from "../masks/controls";
import { SmearControls } from "../paint/SmearControls";
import { ToneControls } from "../paint/ToneCard";
import { toolKind } from "../state/hand";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";
import { NamedSlider } from "../ui/sliders";
import { ChoiceRow } from "../ui/ChoiceRow";

/** What a stroke over a mesh map lays, and where clone reads. */
export function TouchUpCard() {
  const map = useWorkshop((s) => s.target?.mesh_map ?? null);
  const kind = useWorkshop((s) => s.registries?.bake.maps.find((m) => m.id === map));
  const tool = useWorkshop((s) => s.tool);
  const values = useWorkshop((s) => s.maskValues);
  if (!map || !kind) return null;
  return (
    <section className="card" aria-label="Touch-up">
      <div className="chead">
        <h2>Touch-up</h2>
      </div>
      {tool === "brush" && kind.components === 1 && (
        <>
          <NamedSlider
            label="Value"
            title="What the brush lays into the map"
            value={values[0]}
            low={0}
            high={1}
            step={0.01}
            unit="number"
            onChange={(v) => workshop.setState({ maskValues: [v, values[1]] })}
          />
          <div className="ramp" aria-hidden="true" />
        </>
      )}
      {tool === "brush" && kind.components === 3 && (
        <p className="note">The brush lays the first of the two colours. Clone is often the better tool here.</p>
      )}
      {tool === "erase" && <p className="note">Erase brings the baked map back.</p>}
      <ReadingControls />
      <p className="note">
        {map === "straight"
          ? "Where it is white, the next bake's rays leave straight along the face."
          : "A touch-up lies over the baked map: masks and export see it, and a new bake keeps it."}
      </p>
    </section>
  );
}

/** The same settings on the Paint screen, for tools that read. */
export function ReadingCard() {
  const kind = useWorkshop(toolKind);
  const masked = useWorkshop((s) => Boolean(s.target?.mask));
  const reads = useWorkshop((s) => s.reads);
  if (!kind || kind.stroke !== kind.id) return null;
  return (
    <section className="card" aria-label={kind.name}>
      <div className="chead">
        <h2>{kind.name}</h2>
      </div>
      {!masked && (
        <ChoiceRow
          label="Reads"
          options={[
            ["all", "What shows", "The channel as it looks, layers beneath included; the result is painted onto the target"],
            ["layer", "This layer", "Only what the target layer holds; where it holds nothing, nothing comes"],
          ]}
          value={reads}
          onChange={(chosen) => workshop.setState({ reads: chosen })}
        />
      )}
      <ReadingControls />
    </section>
  );
}

/** Settings of tools that read, wherever they are used. */
export function ReadingControls() {
  const tool = useWorkshop((s) => s.tool);
  const clone = useWorkshop((s) => s.clone);
  const moves = useWorkshop((s) => s.cloneMoves);
  const reach = useWorkshop((s) => s.softenReach);
  if (tool === "soften") {
    return (
      <NamedSlider
        label="Reach"
        title="How far soften looks around, as a share of the brush's radius"
        value={reach}
        low={0.02}
        high={1}
        step={0.01}
        unit="percent"
        onChange={(v) => workshop.setState({ softenReach: v })}
      />
    );
  }
  if (tool === "smear") return <SmearControls />;
  if (tool === "tone") return <ToneControls />;
  if (tool !== "clone") return <OwnControls />;
  return (
    <>
      <ChoiceRow
        label="Source"
        options={[
          ["first", "Moving", "The source keeps its distance from the brush, from stroke to stroke"],
          ["second", "Fixed", "Every stroke begins at the source again"],
        ]}
        value={moves ? "first" : "second"}
        onChange={(chosen) =>
          void (chosen === "first"
            ? workshop.setState({ cloneMoves: true, clone: clone && { ...clone, anchor: null } })
            : workshop.setState({ cloneMoves: false, clone: clone && { ...clone, anchor: null } }))
        }
      />
      <p className="note">{clone ? "Alt and press moves the source; the cross marks it." : "Press on the model where clone should read."}</p>
    </>
  );
}

/** The sliders of a tool that the interface knows only from the server's list. */
function OwnControls() {
  const kind = useWorkshop(toolKind);
  const values = useWorkshop((s) => s.toolSettings[s.tool]) ?? {};
  if (!kind) return null;
  const take = (change: Values): void =>
    workshop.setState((s) => ({
      toolSettings: { ...s.toolSettings, [kind.id]: { ...s.toolSettings[kind.id], ...(change as Record<string, number>) } },
    }));
  return (
    <>
      {kind.controls.map((c) => (
        <ControlRow key={c.id} control={c} values={values} owner={{ id: kind.id, kind: kind.id }} onTry={take} onTake={take} />
      ))}
    </>
  );
}
