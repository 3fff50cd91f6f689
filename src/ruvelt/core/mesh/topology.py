"""Which faces hang together: over the surface (connected pieces) and in the UV layout (islands)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._row_kernels import join_faces
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.rows import equal_rows


def _components(model: Model, node: NDArray[np.int32]) -> NDArray[np.int32]:
    """(f,) labels of faces that share a node, numbered by their first face; `node`: (c,) of each corner."""
    parent, label = np.empty(model.face_count, np.int32), np.empty(model.face_count, np.int32)
    holder = np.full(int(node.max(initial=-1)) + 1, -1, np.int32)
    join_faces(model.face_starts, np.ascontiguousarray(node, np.int32), holder, parent, label)
    return label


def face_of_corner(model: Model) -> NDArray[np.int32]:
    return np.repeat(np.arange(model.face_count, dtype=np.int32), np.diff(model.face_starts))


def connected_pieces(model: Model) -> NDArray[np.int32]:
    """(f,) int32: the connected piece each face belongs to (faces that share a place in space)."""
    return _components(model, model.welded[model.corner_vertex])


def islands(model: Model, layout: TextureCoords | None) -> NDArray[np.int32]:
    """(f,) int32: the island each face belongs to (faces that share a vertex with the same UV); -1 without UVs."""
    if layout is None:
        return np.full(model.face_count, -1, np.int32)
    has = layout.corner_uv >= 0
    uv = np.where(has[:, None], layout.uvs[np.maximum(layout.corner_uv, 0)], np.nan).astype(np.float32)
    rows = np.concatenate([model.welded[model.corner_vertex].view(np.float32)[:, None], uv + np.float32(0)], axis=1)
    labels = _components(model, equal_rows(rows)[0])
    if has.all():
        return labels
    without = np.zeros(model.face_count, bool)
    without[face_of_corner(model)[~has]] = True
    return np.where(without, -1, labels).astype(np.int32)
