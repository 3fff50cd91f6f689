"""Picked faces: from "this part" or "that island" to a mark on every face."""

from __future__ import annotations

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.seams import Edges, split_islands
from ruvelt.core.mesh.topology import connected_pieces
from ruvelt.core.planes.versions import version_of
from ruvelt.core.stack.basics import FacePick


class FaceIndex:
    """Labels of a model's faces by everything a pick can name, worked out once."""

    def __init__(self, model: Model, seams: Edges = ()) -> None:
        """`seams`: edges as pairs of welded vertices that split islands for picking."""
        self.model, self._seams = model, seams
        #: Changes with what a pick of an island may mean.
        self.version = version_of(seams) if seams else 0
        self._labels: dict[str, NDArray[np.int32]] = {"part": model.face_part, "material": model.face_material}
        self._parents: tuple[FaceIndex, NDArray[np.int32]] | None = None

    def labels(self, by: str) -> NDArray[np.int32]:
        """(f,) int32 label of each face (groups excepted: they may overlap)."""
        if by not in self._labels:
            if self._parents is not None:
                coarse, parents = self._parents
                self._labels[by] = coarse.labels(by)[parents]
            elif by == "piece":
                self._labels[by] = connected_pieces(self.model)
            elif by == "island":
                self._labels[by] = split_islands(self.model, self.model.uv_layouts[0] if self.model.uv_layouts else None, self._seams)
            else:
                self._labels[by] = np.arange(self.model.face_count, dtype=np.int32)
        return self._labels[by]

    def finer(self, model: Model, parents: NDArray[np.int32]) -> FaceIndex:
        """The same picks on a subdivided model; parents : (f,) the face here that each of its faces comes of."""
        found = FaceIndex(model, ())
        found.version = version_of([self.version, len(parents)])
        found._parents, found._labels = (self, parents), {}
        return found

    def mark(self, picks: Iterable[FacePick]) -> NDArray[np.bool_]:
        """(f,) bool: faces that any pick names. A pick past the end names none."""
        marked = np.zeros(self.model.face_count, bool)
        for pick in picks:
            if pick.by == "group":
                if pick.index < len(self.model.groups):
                    marked[self.model.groups[pick.index].faces] = True
            else:
                marked |= self.labels(pick.by) == pick.index
        return marked

    def away(self, parts: Iterable[int], hidden: Iterable[FacePick] = (), shown: Iterable[FacePick] = ()) -> NDArray[np.bool_]:
        """(f,) bool: faces of hidden parts, those that are hidden beside them, and all but the shown ones, if any are named."""
        marked = np.isin(self.model.face_part, list(parts)) | self.mark(hidden)
        only = tuple(shown)
        return marked | ~self.mark(only) if only else marked

    def of_face(self, face: int) -> dict[str, int]:
        """What one face belongs to: part, material, island, piece, face, and its first named group or -1."""
        found = {by: int(self.labels(by)[face]) for by in ("part", "material", "island", "piece")}
        found["face"] = int(self.labels("face")[face])
        found["group"] = next((i for i, g in enumerate(self.model.groups) if np.isin(face, g.faces)), -1)
        return found
