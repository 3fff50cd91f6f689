"""Layers copied with what is painted on them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ruvelt.core.errors import NotFound
from ruvelt.core.stack.document import AnyLayer, GroupLayer, Sheet
from ruvelt.core.stack.edits import AddLayer
from ruvelt.core.stack.kinds.sources.layer import LayerSource
from ruvelt.studio.history import KeptCopies, stored_step
from ruvelt.studio.layer_ids import IdMaker
from ruvelt.studio.session import Session


def duplicate_layer(session: Session, sheet_id: str, layer_id: str, revision: int | None = None, to_sheet: str | None = None) -> str:
    """Copy a layer, with what is painted on it, in front of itself or onto another sheet (then without pixels of other resolutions)."""
    with session.lock:
        session.check_revision(revision)
        sheet = session.sheet(sheet_id)
        layer = sheet.find(layer_id)
        if layer is None:
            raise NotFound("That layer is gone; it may have been deleted in another window.")
        goal = session.sheet(to_sheet or sheet_id)
        names = IdMaker(goal)
        copy, pairs = _copied(layer, names)
        into, index = (None, 0) if goal is not sheet else position_of(sheet, layer_id)
        changes: dict[str, dict[int, str | None]] = {}
        components: dict[str, int] = {}
        copies: dict[str, str] = {}
        if goal is sheet:
            for old, new in pairs:
                for name, plane in session.store.planes.items():
                    owner, rest = name.split("/")[1], name.split("/")[2:]
                    if name.split("/")[0] == sheet.id and owner == old and rest:
                        renamed = "/".join([sheet.id, new, *rest])
                        changes[renamed], components[renamed] = dict(plane.chunks), plane.components
                        copies[renamed] = name
        edit = AddLayer(sheet=goal.id, layer=_with_own_references(copy, dict(pairs)), into=into, index=index)
        script = stored_step(KeptCopies(copies=copies)) if copies else None
        session.store.commit(f"Duplicate {layer.name}", edit=edit, changes=changes, components=components, script=script)
        return copy.id


def _copied(layer: AnyLayer, ids: IdMaker, top: bool = True) -> tuple[AnyLayer, list[tuple[str, str]]]:
    """A layer under new ids, with (old, new) of it and everything inside."""
    new = ids.new()
    pairs = [(layer.id, new)]
    values: dict[str, Any] = {"id": new}
    if top:
        values["name"] = f"{layer.name} copy"[:80]
    if isinstance(layer, GroupLayer):
        inner = []
        for child in layer.layers:
            copy, more = _copied(child, ids, False)
            inner.append(copy)
            pairs += more
        values["layers"] = tuple(inner)
    return layer.model_copy(update=values), pairs


def _with_own_references(layer: AnyLayer, ids: Mapping[str, str]) -> AnyLayer:
    """A copy whose masks read the copies of what they read, where those were copied too."""
    values: dict[str, Any] = {}
    if layer.mask is not None:
        steps = [s.model_copy(update={"layer": ids.get(s.layer or "", s.layer)}) if isinstance(s, LayerSource) else s for s in layer.mask.sources]
        values["mask"] = layer.mask.model_copy(update={"sources": tuple(steps)})
    if isinstance(layer, GroupLayer):
        values["layers"] = tuple(_with_own_references(x, ids) for x in layer.layers)
    return layer.model_copy(update=values)


def copied_into(layers: tuple[AnyLayer, ...], ids: IdMaker) -> tuple[tuple[AnyLayer, ...], list[tuple[str, str]]]:
    """Layers under new ids, their references among each other kept, with (old, new) of all of them."""
    made = [_copied(layer, ids, False) for layer in layers]
    pairs = [pair for _, mine in made for pair in mine]
    return tuple(_with_own_references(layer, dict(pairs)) for layer, _ in made), pairs


def position_of(sheet: Sheet, layer_id: str) -> tuple[str | None, int]:
    """The group a layer is in, and its index there, 0 in front."""
    above = next(a for layer, a in sheet.walk() if layer.id == layer_id)
    group = sheet.find(above[-1]) if above else None
    siblings = group.layers if isinstance(group, GroupLayer) else sheet.layers
    return (above[-1] if above else None), [x.id for x in siblings].index(layer_id)
