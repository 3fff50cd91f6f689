"""A stroke script made from history: what the record button saves."""

from __future__ import annotations

from typing import Any

from ruvelt.core.stack.edits import EDIT, AddLayer, AnyEdit, SetLayer
from ruvelt.studio.history import KeptFlood, KeptStroke, Laid, read_step
from ruvelt.studio.session import Session


def script_since(session: Session, since: int) -> dict[str, Any]:
    """The steps after history step `since` that hold, as a stroke script: layers added, masks, strokes and floods."""
    steps: list[dict[str, Any]] = []
    last: dict[str, Any] = {}

    def set_up(key: str, step: dict[str, Any]) -> None:
        if last.get(key) != step:
            last[key] = step
            steps.append(step)

    for edit, script in session.store.steps(since):
        if edit is not None:
            added = EDIT.validate_json(edit)
            if isinstance(added, AddLayer) and added.layer.kind != "group":
                steps.append(_layer_step(added))
            elif isinstance(added, SetLayer) and "mask" in added.values:
                steps.append({"do": "mask", "sheet": added.sheet, "layer": added.layer, "mask": added.values["mask"]})
        kept = read_step(script)
        if not isinstance(kept, Laid):
            continue
        target = kept.target
        aim = {"do": "target", "sheet": target["sheet"]}
        if target.get("mesh_map"):
            aim |= {"mesh_map": target["mesh_map"]}
        else:
            aim |= {"layer": target["layer"], **({"mask": True} if target.get("mask") else {"channels": list(target.get("channels", ()))})}
        set_up("target", aim)
        set_up("paint", {"do": "paint", "paint": kept.paint})
        if isinstance(kept, KeptFlood):
            steps.append({"do": "flood", **kept.flood.model_dump(mode="json")})
        elif isinstance(kept, KeptStroke):
            set_up("brush", {"do": "brush", "brush": kept.brush})
            steps.append({"do": "stroke", **{k: v for k, v in kept.stroke.items() if k != "do"}})
    return {"format": "ruvelt-strokes", "version": 1, "steps": steps}


def _layer_step(added: AnyEdit) -> dict[str, Any]:
    assert isinstance(added, AddLayer)
    layer = added.layer.model_dump(mode="json", exclude={"id", "visible", "locked", "layers"})
    return {"do": "add-layer", "sheet": added.sheet, "into": added.into, "ref": added.layer.id, **layer}
