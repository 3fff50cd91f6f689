import { Slider, Tooltip } from "@mui/material";
import { useEffect } from "react";
import { useWorkshop } from "../state/hooks";
import { workshop } from "../state/workshop";

/** From the solid to its layout laid flat, to see at once what is stretched and what lies mirrored. */
export function UnfoldSlider() {
  const unfold = useWorkshop((s) => s.unfold);
  useEffect(() => () => workshop.setState({ unfold: 0 }), []);
  return (
    <Tooltip title="Unfold the model into its UV layout. Amber: stretched. Red stripes: mirrored. Home and End go to either end.">
      <span className="dial">
        Unfold
        <Slider
          aria-label="Unfold"
          sx={{ width: 84, mx: 1 }}
          value={unfold}
          min={0}
          max={1}
          step={0.01}
          onChange={(_, value) => workshop.setState({ unfold: value })}
        />
      </span>
    </Tooltip>
  );
}
