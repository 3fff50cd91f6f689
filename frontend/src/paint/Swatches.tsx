import { Tooltip } from "@mui/material";
import { greyOf, sameColour, toHex } from "../state/colour";
import { edit } from "../state/edits";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";
import type { RGB } from "../state/workshop";
import { Icon } from "../ui/icons";

/** Colours kept in the tray. */
export function Swatches() {
  const swatches = useWorkshop((s) => s.project?.document.settings.swatches) as RGB[] | undefined;
  const state = useWorkshop((s) => s);
  const slot = state.other ? 1 : 0;
  const current = state.colours[slot];
  const take = (rgb: RGB): void => {
    if (state.target?.mask) {
      const grey = greyOf(rgb);
      workshop.setState({ maskValues: slot ? [state.maskValues[0], grey] : [grey, state.maskValues[1]] });
    } else workshop.setState({ colours: slot ? [state.colours[0], rgb] : [rgb, state.colours[1]] });
  };
  const list = swatches ?? [];
  const keep = (next: RGB[], label: string): void => void edit(label, { edit: "set-settings", values: { swatches: next } });
  const known = list.some((s) => sameColour(s, current));
  return (
    <>
      <div className="prow">
        <span className="label">Swatches</span>
        <Tooltip title={known ? "Take this colour out of the tray" : "Keep this colour in the tray"}>
          <button
            className="iconbtn small"
            aria-label={known ? "Remove swatch" : "Add swatch"}
            onClick={() =>
              known
                ? keep(
                    list.filter((s) => !sameColour(s, current)),
                    "Remove a swatch",
                  )
                : keep([...list, current], "Add a swatch")
            }
          >
            <Icon name={known ? "minus" : "plus"} />
          </button>
        </Tooltip>
      </div>
      <div className="swatches">
        {list.map((rgb, i) => (
          <Tooltip key={i} title={toHex(rgb)}>
            <button style={{ background: toHex(rgb) }} aria-label={`Swatch ${toHex(rgb)}`} onClick={() => take(rgb)} />
          </Tooltip>
        ))}
      </div>
      {state.target?.mask && <p className="note">A mask takes one value, so a swatch is used by its lightness here.</p>}
    </>
  );
}
