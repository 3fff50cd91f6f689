"""Faces that share an edge."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.seams import corner_edges
from ruvelt.core.mesh.topology import face_of_corner


def linked_faces(model: Model) -> NDArray[np.int32]:
    """(m, 4) int32 of two vertices and two different faces, wherever faces share an edge in space, whatever their UVs and sheets.

    Where more than two faces meet, each is there with the next.
    """
    key, low, high = corner_edges(model)
    order = np.argsort(key, kind="stable")
    face = face_of_corner(model)[order]
    same = (key[order][1:] == key[order][:-1]) & (face[1:] != face[:-1])
    ends = model.corner_vertex[np.stack([low[order], high[order]], axis=1)[:-1][same]]
    return np.ascontiguousarray(np.concatenate([ends, np.stack([face[:-1][same], face[1:][same]], axis=1)], axis=1), np.int32)
