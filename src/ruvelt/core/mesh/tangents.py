"""Tangent frames by the MikkTSpace definition (Mikkelsen 2008, "Simulation of Wrinkled Surfaces Revisited", and its reference code).

A corner's tangent is the angle-weighted mean of the triangle tangents, projected on the corner's normal, over the triangles that
share the corner's position, normal and UV, have the same UV winding, and hang together through shared edges.
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._row_kernels import sort_by_number
from ruvelt.core.mesh._tangent_kernels import PARTNERS, add_tangents, join_corners, triangle_tangents, weigh_tangents, write_tangents
from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.workers import SERIAL, Workers


def corner_tangents(
    positions: NDArray[np.float32], normals: NDArray[np.float32], uvs: NDArray[np.float32], workers: Workers = SERIAL
) -> NDArray[np.float32]:
    """Tangents of triangle corners.

    positions, normals : (t, 3, 3) float32, object space; uvs : (t, 3, 2) float32, v up.
    Returns (t, 3, 4) float32: unit tangent and the bitangent's sign, so that bitangent = sign · cross(normal, tangent).
    """
    return corner_frames(positions, normals, uvs, workers)[0]


def corner_frames(
    positions: NDArray[np.float32], normals: NDArray[np.float32], uvs: NDArray[np.float32], workers: Workers = SERIAL
) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
    """`corner_tangents`, and (t, 3) int32 one number for all corners that are alike in position, normal and UV."""
    count = len(positions)
    if count == 0:
        return np.zeros((0, 3, 4), np.float32), np.zeros((0, 3), np.int32)
    flat = np.empty((count, 3, 8), np.float32)
    # No minus zero: it would differ from zero.
    for part, values in ((flat[..., :3], positions), (flat[..., 3:6], normals), (flat[..., 6:], uvs)):
        np.add(values, np.float32(0), out=part)
    weld = equal_rows(flat.reshape(-1, 8))[0].reshape(-1, 3)
    del flat

    starts, order = _edges_in_order(weld)
    tangent, traits = np.empty((count, 3)), np.empty((count, 2), np.bool_)
    corner, normal, uv = (np.ascontiguousarray(v, np.float32) for v in (positions, normals, uvs))
    triangle_tangents(corner, uv, tangent, traits)
    parent = np.arange(count * 3, dtype=np.int32)
    join_corners(weld, starts, order, traits, parent)
    bounds = [(int(a), int(b)) for a, b in pairwise(np.linspace(0, count, workers.threads + 1).astype(int))]
    weighed = np.zeros((count, 3, 3))
    workers.map(lambda b: weigh_tangents(corner, normal, tangent, traits, b[0], b[1], weighed), bounds)
    total, sign, out = np.zeros((count * 3, 3)), np.zeros(count * 3, np.int8), np.empty((count, 3, 4), np.float32)
    add_tangents(weighed, traits, parent, total, sign)
    workers.map(lambda b: write_tangents(normal, total, sign, parent, b[0], b[1], out), bounds)
    return out, weld


def _edges_in_order(weld: NDArray[np.int32]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Edges (3 t + side) in groups that hold all that may be neighbours: by their lower end, or where that is too many by both ends."""
    a, b = weld, weld[:, [1, 2, 0]]
    low = np.minimum(a, b).reshape(-1)
    starts, order = np.zeros(int(low.max()) + 2, np.int32), np.empty(len(low), np.int32)
    sort_by_number(low, starts, order)
    if np.diff(starts).max() > PARTNERS:
        edge, first = equal_rows(np.stack([low, np.maximum(a, b).reshape(-1)], axis=1))
        starts = np.zeros(len(first) + 1, np.int32)
        sort_by_number(edge, starts, order)
    return starts, order
