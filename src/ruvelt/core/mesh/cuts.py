"""Where a surface is cut before it is unwrapped, and what hangs together between the cuts."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ruvelt.core.mesh.model import Model


def _pairs(model: Model) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Half-edges that lie at each other, by t · 3 + k: edge k of a triangle runs from its corner k to the next. (m,) each."""
    place = model.welded[model.triangles].astype(np.int64)
    a, b = place.ravel(), np.roll(place, -1, axis=1).ravel()
    key = (np.minimum(a, b) << 32) | np.maximum(a, b)
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero((key[order][1:] == key[order][:-1]) & (a[order][1:] != b[order][1:]))
    return order[same], order[same + 1]


def cut_edges(model: Model, seams: NDArray[np.int64], crease_deg: float | None) -> NDArray[np.bool_]:
    """(t, 3) bool: edges (from a corner to the next) that are always cut.

    seams : (n, 2) marked edges by welded vertices; crease_deg : faces that meet at more than this are cut apart, None for none
    """
    place = model.welded[model.triangles].astype(np.int64)
    a, b = place, np.roll(place, -1, axis=1)
    cut = np.zeros(place.shape, bool)
    if len(seams):
        cut |= np.isin((np.minimum(a, b) << 32) | np.maximum(a, b), (seams.min(axis=1) << 32) | seams.max(axis=1))
    if crease_deg is not None:
        p = model.positions[model.triangles].astype(np.float64)
        normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-300)
        one, other = _pairs(model)
        hard = (normal[one // 3] * normal[other // 3]).sum(axis=1) < np.cos(np.radians(min(crease_deg + 0.05, 180.0)))
        cut.ravel()[one[hard]] = cut.ravel()[other[hard]] = True
    return cut


def _joined(model: Model, cut: NDArray[np.bool_]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    one, other = _pairs(model)
    whole = ~(cut.ravel()[one] | cut.ravel()[other])
    return one[whole], other[whole]


def components(model: Model, cut: NDArray[np.bool_], apart: NDArray[np.int32]) -> NDArray[np.int64]:
    """(t,) numbers of surfaces that hang together over edges that are not cut; `apart`: (t, k), triangles that differ in it never do.

    Numbers rise with the rows of `apart`, so that what is alike comes in a row.
    """
    one, other = _joined(model, cut)
    one, other = one // 3, other // 3
    alike = (apart[one] == apart[other]).all(axis=1)
    count = len(model.triangles)
    graph = coo_matrix((np.ones(int(alike.sum()), bool), (one[alike], other[alike])), shape=(count, count))
    label = connected_components(graph, directed=False)[1].astype(np.int64)
    first = np.full(label.max(initial=-1) + 1, count, np.int64)
    np.minimum.at(first, label, np.arange(count))
    order = np.lexsort((first, *apart[first].T[::-1]))
    rank = np.empty_like(order)
    rank[order] = np.arange(len(order))
    return np.asarray(rank[label])


def corner_labels(model: Model, cut: NDArray[np.bool_], rows: NDArray[np.int64]) -> NDArray[np.int64]:
    """(n, 3) numbers of the corners of some triangles: alike where triangles meet at a place and no cut runs between them."""
    inside = np.full(len(model.triangles), -1, np.int64)
    inside[rows] = np.arange(len(rows))
    one, other = _joined(model, cut)
    keep = (inside[one // 3] >= 0) & (inside[other // 3] >= 0)
    one, other = one[keep], other[keep]
    place = model.welded[model.triangles].astype(np.int64)

    def corner(edge: NDArray[np.int64], end: int) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        t, k = edge // 3, (edge % 3 + end) % 3
        return inside[t] * 3 + k, place[t, k]

    starts, ends = [], []
    for end in (0, 1):
        here, at = corner(one, end)
        for far in (0, 1):
            there, where = corner(other, far)
            starts.append(here[at == where])
            ends.append(there[at == where])
    i, j = np.concatenate(starts), np.concatenate(ends)
    size = 3 * len(rows)
    return np.asarray(
        connected_components(coo_matrix((np.ones(len(i), bool), (i, j)), shape=(size, size)), directed=False)[1].reshape(-1, 3).astype(np.int64)
    )
