"""Picks of faces after the faces have changed: what they name now is named again on the new mesh."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import FaceGroup, Model
from ruvelt.core.mesh.seams import Edges
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.document import AnyLayer, Document, GroupLayer
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stack.kinds.sources.faces import FacesSource
from ruvelt.studio.lasso import shortest_picks

Picks = tuple[FacePick, ...]
#: Picks of single faces beyond which a face group of the model stands for them.
MOST_SINGLE = 400


class MovedPicks:
    """Names picks of one mesh on another. `model`: the new one, with face groups added where picks would be too many.

    parents : (f,) the old face that each new one comes of, −1 for none; seams : those that split islands of the new one
    """

    def __init__(self, old: FaceIndex, model: Model, parents: NDArray[np.int32], seams: Edges = ()) -> None:
        self._old, self.model, self._parents = old, model, parents
        self._index = FaceIndex(model, seams)
        self._known: dict[Picks, Picks] = {}

    def __call__(self, picks: Picks) -> Picks:
        if picks not in self._known:
            self._known[picks] = self._moved(picks)
        return self._known[picks]

    def _moved(self, picks: Picks) -> Picks:
        kept = tuple(p for p in picks if p.by in ("part", "material") and self._same_name(p))
        rest = tuple(p for p in picks if p not in kept)
        if not rest:
            return picks
        marked = np.concatenate([self._old.mark(rest), [False]])[self._parents]
        found, self.model = named_on(self._index, self.model, marked, f"Picked {len(self.model.groups) + 1}")
        return (*kept, *found)

    def _same_name(self, pick: FacePick) -> bool:
        old, new = self._old.model, self.model
        if pick.by == "part":
            names: tuple[tuple[str, ...], tuple[str, ...]] = old.parts, new.parts
        else:
            names = tuple(m.name for m in old.materials), tuple(m.name for m in new.materials)
        return pick.index < min(map(len, names)) and names[0][pick.index] == names[1][pick.index]


def named_on(index: FaceIndex, model: Model, marked: NDArray[np.bool_], name: str) -> tuple[Picks, Model]:
    """Picks that name marked faces; where those would be too many, the model has them as a face group of its own from now on."""
    try:
        found = tuple(shortest_picks(index, marked))
    except InputError:
        found = ()
    if not marked.any() or 0 < len(found) <= MOST_SINGLE:
        return found, model
    model = replace(model, groups=(*model.groups, FaceGroup(name, np.flatnonzero(marked).astype(np.int32))))
    return (FacePick(by="group", index=len(model.groups) - 1),), model


def with_moved_picks(document: Document, moved: Callable[[Picks], Picks]) -> Document:
    """A document all of whose picks are named anew: masks, named groups of faces, and what is hidden."""

    def layer_of(layer: AnyLayer) -> AnyLayer:
        values: dict[str, object] = {}
        if layer.mask is not None:
            sources = tuple(
                s.model_copy(update={"picks": moved(s.picks)}) if isinstance(s, FacesSource) and s.picks else s for s in layer.mask.sources
            )
            values["mask"] = layer.mask.model_copy(update={"sources": sources})
        if isinstance(layer, GroupLayer):
            values["layers"] = tuple(layer_of(x) for x in layer.layers)
        return layer.model_copy(update=values) if values else layer

    sheets = tuple(s.model_copy(update={"layers": tuple(layer_of(x) for x in s.layers)}) for s in document.sheets)
    groups = tuple(g.model_copy(update={"picks": moved(g.picks)}) for g in document.face_sets)
    return document.model_copy(
        update={
            "sheets": sheets,
            "face_sets": groups,
            "hidden_picks": moved(document.hidden_picks) if document.hidden_picks else (),
            "shown_picks": moved(document.shown_picks) if document.shown_picks else (),
        }
    )
