"""Polygons to triangles, keeping corner indices so that every per-corner value follows."""

from __future__ import annotations

import mapbox_earcut
import numpy as np
from numpy.typing import NDArray


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
        c = face_starts[quad][:, None] + np.arange(4, dtype=np.int32)
        p = positions[corner_vertex[c]].astype(np.float64)
        len02 = ((p[:, 0] - p[:, 2]) ** 2).sum(axis=1)
        len13 = ((p[:, 1] - p[:, 3]) ** 2).sum(axis=1)

        def same_side(i: int, j: int, a: int, b: int) -> NDArray[np.bool_]:
            """Whether the diagonal i–j leaves its two triangles facing the same way."""
            n1 = np.cross(p[:, j] - p[:, i], p[:, a] - p[:, i])
            n2 = np.cross(p[:, b] - p[:, i], p[:, j] - p[:, i])
            good: NDArray[np.bool_] = np.einsum("ij,ij->i", n1, n2) >= 0
            return good

        ok02, ok13 = same_side(0, 2, 3, 1), same_side(1, 3, 0, 2)
        along02 = np.where(ok02 == ok13, len02 <= len13, ok02)[:, None]
        first = np.where(along02, c[:, [0, 1, 2]], c[:, [0, 1, 3]])
        second = np.where(along02, c[:, [0, 2, 3]], c[:, [1, 2, 3]])
        pieces.append(np.stack([first, second], axis=1).reshape(-1, 3).astype(np.int32))
        owners.append(np.repeat(quad, 2))

    for face in np.flatnonzero(sizes > 4).astype(np.int32):
        start, count = int(face_starts[face]), int(sizes[face])
        local = _clip_ears(positions[corner_vertex[start : start + count]].astype(np.float64))
        pieces.append((start + local).astype(np.int32))
        owners.append(np.full(len(local), face, np.int32))

    if not pieces:
        return np.zeros((0, 3), np.int32), np.zeros(0, np.int32)
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
