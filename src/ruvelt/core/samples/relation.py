"""What another mesh or layout is to the one before it."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples.resample import REACH, same_faces, same_places
from ruvelt.core.samples.spots import along_normals
from ruvelt.core.samples.vertices import vertex_normals

#: "layout": the same faces at the same places; "moved": the same faces elsewhere; "shape": other faces over the same surface.
Relation = Literal["layout", "moved", "shape", "changed"]
#: Surfaces that lie no farther apart are one, as a share of the diagonal.
ONE = 1e-3
#: Vertices that are looked at, and the share of them that may lie off.
LOOKED_AT, MAY_BE_OFF = 20_000, 0.01


def relation_of(old: Model, new: Model) -> Relation:
    """How the surface of one model follows from another's, measured at their vertices both ways."""
    if same_faces(old, new):
        return "layout" if same_places(old, new) else "moved"
    lies = all(share_on(a, b, ONE) >= 1 - MAY_BE_OFF for a, b in ((old, new), (new, old)))
    return "shape" if lies else "changed"


def share_on(a: Model, b: Model, reach: float = REACH) -> float:
    """The share of the vertices of one model that lie within `reach` shares of the diagonal of the surface of another."""
    used = np.unique(a.corner_vertex)
    rows = used[:: max(1, len(used) // LOOKED_AT)]
    found = along_normals(a.positions[rows], vertex_normals(a)[rows], RayCaster(b), reach * b.diagonal, b.diagonal)
    # Rays pass beside the rim of an open surface; a vertex of the other there is as good.
    near = np.isin(_rounded(a.positions[rows], b), _rounded(b.positions, b))
    return float(((found.cell >= 0) | near).mean())


def _rounded(places: NDArray[np.float32], model: Model) -> NDArray[np.void]:
    """Places as whole steps of a thousandth of the diagonal, one item each."""
    steps = np.ascontiguousarray(np.rint(places.astype(np.float64) / (2 * ONE * model.diagonal)).astype(np.int32))
    return steps.view([("", np.int32)] * 3).ravel()


def parents_of(old: Model, new: Model) -> NDArray[np.int32]:
    """(f,) int32: the face of one model under the middle of each face of another along its normal, −1 where there is none near."""
    if same_faces(old, new):
        return np.arange(new.face_count, dtype=np.int32)
    # A triangle stands for its face: its middle lies on the face whatever the polygon's shape.
    first = np.zeros(new.face_count, np.int64)
    first[new.triangle_face[::-1]] = np.arange(len(new.triangle_face))[::-1]
    p = new.positions[new.triangles[first]].astype(np.float64)
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
    found = along_normals(p.mean(axis=1).astype(np.float32), normal.astype(np.float32), RayCaster(old), REACH * old.diagonal, old.diagonal)
    return np.asarray(np.where(found.cell >= 0, old.triangle_face[found.cell], -1), np.int32)
