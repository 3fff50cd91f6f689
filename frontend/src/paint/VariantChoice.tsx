import { Tooltip } from "@mui/material";
import { useDocument } from "../state/hooks";
import { showVariant } from "../state/variants";
import { Dropdown } from "../ui/Dropdown";

/** Which variant shows; changes of layers go there. Nothing where there are none. */
export function VariantChoice() {
  const document = useDocument();
  const all = document?.variants ?? [];
  if (!all.length) return null;
  return (
    <Tooltip title="The variant that shows: changes of layers go to it, strokes are shared" placement="bottom">
      <span className={document?.showing ? "varying" : undefined}>
        <Dropdown
          label="Variant shown"
          value={document?.showing ?? ""}
          options={[{ id: "", name: "Base" }, ...all.map((v) => ({ id: v.id, name: v.name, group: "Variants" }))]}
          onChoose={(id) => void showVariant(id || null)}
        />
      </span>
    </Tooltip>
  );
}
