"""Polygons to triangles, keeping corner indices so that every per-corner value follows."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._quad_kernels import split_quads


def triangulate(
    positions: NDArray[np.float32], face_starts: NDArray[np.int32], corner_vertex: NDArray[np.int32]
) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Return (t, 3) int32 corner indices and (t,) int32 face indices, in face order.

    Quads split along the shorter diagonal (unless that would leave the quad), larger polygons by ear clipping in their own plane.
    """
    sizes = np.diff(face_starts)
    pieces: list[NDArray[np.int32]] = []
    owners: list[NDArray[np.int32]] = []

    tri = np.flatnonzero(sizes == 3).astype(np.int32)
    if len(tri):
        pieces.append((face_starts[tri][:, None] + np.arange(3)).astype(np.int32))
        owners.append(tri)

    quad = np.flatnonzero(sizes == 4).astype(np.int32)
    if len(quad):
        halves = np.empty((2 * len(quad), 3), np.int32)
        split_quads(positions, face_starts, corner_vertex, quad, halves)
        pieces.append(halves)
        owners.append(np.repeat(quad, 2))

    for face in np.flatnonzero(sizes > 4).astype(np.int32):
        start, count = int(face_starts[face]), int(sizes[face])
        local = _clip_ears(positions[corner_vertex[start : start + count]].astype(np.float64))
        pieces.append((start + local).astype(np.int32))
        owners.append(np.full(len(local), face, np.int32))

    if not pieces:
        return np.zeros((0, 3), np.int32), np.zeros(0, np.int32)
    if len(pieces) == 1:
        return pieces[0], owners[0]
    corners, face_of = np.concatenate(pieces), np.concatenate(owners)
    order = np.argsort(face_of, kind="stable")
    return np.ascontiguousarray(corners[order]), np.ascontiguousarray(face_of[order])


def _clip_ears(points: NDArray[np.float64]) -> NDArray[np.int64]:
    """Triangulate one polygon of (n, 3) points in the plane of its Newell normal; a fan when it is too degenerate for that."""
    nxt = np.roll(points, -1, axis=0)
    normal = np.cross(points, nxt).sum(axis=0)
    drop = int(np.argmax(np.abs(normal)))
    u, v = [(1, 2), (2, 0), (0, 1)][drop]
    if normal[drop] < 0:
        u, v = v, u
    flat = np.ascontiguousarray(points[:, [u, v]])
    indices = np.asarray(mapbox_earcut.triangulate_float64(flat, np.array([len(flat)], np.uint32)), np.int64).reshape(-1, 3)
    if len(indices) != len(points) - 2:
        k = np.arange(1, len(points) - 1)
        return np.stack([np.zeros_like(k), k, k + 1], axis=1)
    a, b, c = flat[indices[:, 0]], flat[indices[:, 1]], flat[indices[:, 2]]
    area = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    indices[area < 0] = indices[area < 0][:, ::-1]
    return indices
