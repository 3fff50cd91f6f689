"""Tangent frames by the MikkTSpace definition (Mikkelsen 2008, "Simulation of Wrinkled Surfaces Revisited", and its reference code).

A corner's tangent is the angle-weighted mean of the triangle tangents, projected on the corner's normal, over the triangles that
share the corner's position, normal and UV, have the same UV winding, and hang together through shared edges.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._row_kernels import sort_by_number
from ruvelt.core.mesh._tangent_kernels import join_corners, mean_tangents, triangle_tangents
from ruvelt.core.mesh.rows import equal_rows


def corner_tangents(positions: NDArray[np.float32], normals: NDArray[np.float32], uvs: NDArray[np.float32]) -> NDArray[np.float32]:
    """Tangents of triangle corners.

    positions, normals : (t, 3, 3) float32, object space; uvs : (t, 3, 2) float32, v up.
    Returns (t, 3, 4) float32: unit tangent and the bitangent's sign, so that bitangent = sign · cross(normal, tangent).
    """
    count = len(positions)
    if count == 0:
        return np.zeros((0, 3, 4), np.float32)
    flat = np.concatenate([positions.reshape(-1, 3), normals.reshape(-1, 3), uvs.reshape(-1, 2)], axis=1).astype(np.float32)
    flat = np.ascontiguousarray(flat + np.float32(0))
    weld = equal_rows(flat)[0].reshape(-1, 3)

    # Each edge once per triangle, numbered by its two welded ends; neighbours are equal numbers with opposite directions.
    a, b = weld, weld[:, [1, 2, 0]]
    edge, first = equal_rows(np.stack([np.minimum(a, b), np.maximum(a, b)], axis=2).reshape(-1, 2))
    starts, order = np.zeros(len(first) + 1, np.int32), np.empty(count * 3, np.int32)
    sort_by_number(edge, starts, order)
    tangent, traits = np.empty((count, 3)), np.empty((count, 2), np.bool_)
    corner, normal, uv = (np.ascontiguousarray(v, np.float32) for v in (positions, normals, uvs))
    triangle_tangents(corner, uv, tangent, traits)
    parent = np.arange(count * 3, dtype=np.int32)
    join_corners(weld, starts, order, traits, parent)
    out = np.zeros((count, 3, 4), np.float32)
    mean_tangents(corner, normal, tangent, traits, parent, np.zeros((count * 3, 3)), np.zeros(count * 3, np.int8), out)
    return out
