"""Which faces hang together: over the surface (connected pieces) and in the UV layout (islands)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ruvelt.core.mesh.model import Model, TextureCoords


def _components(face_of_corner: NDArray[np.int32], node_of_corner: NDArray[np.integer], faces: int) -> NDArray[np.int32]:
    """(f,) labels of faces that share a node, numbered by their first face."""
    nodes = int(node_of_corner.max()) + 1 if len(node_of_corner) else 0
    ones = np.ones(len(face_of_corner), np.int8)
    graph = coo_matrix((ones, (face_of_corner, node_of_corner + faces)), shape=(faces + nodes, faces + nodes))
    _, labels = connected_components(graph, directed=False)
    _, first, inverse = np.unique(labels[:faces], return_index=True, return_inverse=True)
    return np.argsort(np.argsort(first))[inverse].astype(np.int32)


def face_of_corner(model: Model) -> NDArray[np.int32]:
    return np.repeat(np.arange(model.face_count, dtype=np.int32), np.diff(model.face_starts))


def connected_pieces(model: Model) -> NDArray[np.int32]:
    """(f,) int32: the connected piece each face belongs to (faces that share a place in space)."""
    return _components(face_of_corner(model), model.welded[model.corner_vertex], model.face_count)


def islands(model: Model, layout: TextureCoords | None) -> NDArray[np.int32]:
    """(f,) int32: the island each face belongs to (faces that share a vertex with the same UV); -1 without UVs."""
    if layout is None:
        return np.full(model.face_count, -1, np.int32)
    corner_face = face_of_corner(model)
    has = layout.corner_uv >= 0
    uv = np.where(has[:, None], layout.uvs[np.maximum(layout.corner_uv, 0)], np.nan).astype(np.float32)
    rows = np.concatenate([model.welded[model.corner_vertex].view(np.float32)[:, None], uv + np.float32(0)], axis=1)
    _, node = np.unique(np.ascontiguousarray(rows).view(np.dtype((np.void, 12))).ravel(), return_inverse=True)
    labels = _components(corner_face, node, model.face_count)
    without = np.zeros(model.face_count, bool)
    without[corner_face[~has]] = True
    return np.where(without, -1, labels).astype(np.int32)
