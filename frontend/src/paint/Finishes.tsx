import { Tooltip } from "@mui/material";
import type { Finish } from "../api/types";
import { toHex } from "../state/colour";
import { dropFinish, holds, keepFinish, laysOf, setLays, takeFinish } from "../state/finishes";
import type { Lays as LaysKind } from "../state/finishes";
import { useDocument, useWorkshop } from "../state/hooks";
import { ChoiceRow } from "../ui/ChoiceRow";
import { askedName } from "../ui/dialogs";
import { Icon } from "../ui/icons";

const LAYS: [LaysKind, string, string][] = [
  ["colour", "Colour", "Strokes and fills change base colour and leave the finish as it is"],
  ["finish", "Finish", "Strokes and fills change roughness and metallic and leave the colour as it is"],
  ["both", "Both", "Strokes and fills lay colour and finish together"],
];

/** Whether strokes lay colour, finish, or both. */
export function Lays() {
  const channels = useWorkshop((s) => s.target?.channels);
  const now = laysOf(channels ?? []);
  return <ChoiceRow label="Lays" options={LAYS} value={now} onChange={setLays} />;
}

/** Finishes kept beside the swatches, each as a ball in the colour in hand. */
export function Finishes() {
  const finishes = useDocument()?.settings.finishes ?? [];
  const values = useWorkshop((s) => s.values);
  const colour = useWorkshop((s) => toHex(s.colours[s.other ? 1 : 0]));
  const held = finishes.find((f) => holds(values, f));
  const add = async (): Promise<void> => {
    const name = await askedName("Keep this finish", "Name", "Glossy eye", "Keep finish");
    if (name) await keepFinish(name);
  };
  return (
    <>
      <div className="prow">
        <span className="label">Finishes</span>
        <Tooltip title={held ? `Take ${held.name} out of the tray` : "Keep the roughness and metallic in hand as a finish"}>
          <button
            className="iconbtn small"
            aria-label={held ? "Remove finish" : "Add finish"}
            onClick={() => void (held ? dropFinish(held.id) : add())}
          >
            <Icon name={held ? "minus" : "plus"} />
          </button>
        </Tooltip>
      </div>
      <div className="finishes">
        {finishes.map((f) => (
          <Tooltip key={f.id} title={`${f.name}: ${told(f)}. Takes it in hand; the next stroke or fill lays it.`}>
            <button aria-label={`Finish ${f.name}`} aria-pressed={f === held} onClick={() => takeFinish(f)}>
              <span className="ball" style={{ background: ball(colour, f) }} />
            </button>
          </Tooltip>
        ))}
      </div>
    </>
  );
}

function told(f: Finish): string {
  return Object.entries(f.values)
    .map(([id, v]) => `${id.replace(/[-_]/g, " ")} ${v.map((x) => x.toFixed(2)).join(", ")}`)
    .join(", ");
}

/** A ball under one light: the smoother, the smaller and brighter its highlight; metal is dark beside it. */
function ball(colour: string, f: Finish): string {
  const rough = f.values.roughness?.[0] ?? 0.5;
  const metal = f.values.metallic?.[0] ?? 0;
  const size = 8 + 46 * rough;
  const light = Math.max(0.06, 0.95 - 0.95 * rough);
  const deep = 30 + 35 * metal;
  return [
    `radial-gradient(circle at 36% 30%, rgba(255,255,255,${light.toFixed(2)}) 0%, rgba(255,255,255,0) ${size.toFixed(0)}%)`,
    `radial-gradient(circle at 40% 34%, rgba(0,0,0,0) 20%, rgba(0,0,0,${(deep / 100).toFixed(2)}) 78%)`,
    colour,
  ].join(", ");
}
