"""Edges marked as seams: they split islands into pieces that are easy to pick, and change no UVs (N1.4)."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import connected_components

from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.topology import face_of_corner, islands

#: Edges as pairs of welded vertices, the lower first.
Edges = Sequence[tuple[int, int]]


def corner_edges(model: Model) -> tuple[NDArray[np.int64], NDArray[np.int32], NDArray[np.int32]]:
    """The edge from every corner to the next of its face: a key, and the corners at its ends in the order of welded vertices, (c,) each."""
    corner = np.arange(len(model.corner_vertex), dtype=np.int32)
    following = corner + 1
    following[model.face_starts[1:] - 1] = model.face_starts[:-1]
    a, b = model.welded[model.corner_vertex[corner]].astype(np.int64), model.welded[model.corner_vertex[following]].astype(np.int64)
    swap = a > b
    low, high = np.where(swap, following, corner), np.where(swap, corner, following)
    return np.minimum(a, b) * _base(model) + np.maximum(a, b), low.astype(np.int32), high.astype(np.int32)


def _base(model: Model) -> int:
    return int(model.welded.max(initial=0)) + 1


def split_islands(model: Model, layout: TextureCoords | None, seams: Edges) -> NDArray[np.int32]:
    """(f,) labels of islands cut at seams. The piece with an island's first face keeps the island's label.

    Other pieces are numbered after all islands by their first face, so that a seam elsewhere changes no label; -1 without UVs.
    """
    whole = islands(model, layout)
    if layout is None or not len(seams):
        return whole
    base, pairs = _base(model), np.asarray(seams, np.int64).reshape(-1, 2)
    pairs = pairs[(pairs >= 0).all(axis=1) & (pairs < base).all(axis=1)]
    cut = np.unique(pairs.min(axis=1) * base + pairs.max(axis=1))
    key, low, high = corner_edges(model)
    face = face_of_corner(model)
    # Neighbours: faces that share an edge, lie in one island there, and the edge is no seam.
    uv = np.stack([layout.corner_uv[low], layout.corner_uv[high]], axis=1)
    places = np.where((uv >= 0)[..., None], layout.uvs[np.maximum(uv, 0)], np.nan).reshape(len(key), 4)
    order = np.lexsort((places[:, 3], places[:, 2], places[:, 1], places[:, 0], key))
    k, p, f = key[order], places[order], face[order]
    same = (k[1:] == k[:-1]) & (p[1:] == p[:-1]).all(axis=1) & ~np.isin(k[1:], cut)
    a, b = f[1:][same], f[:-1][same]
    graph = coo_matrix((np.ones(len(a), np.int8), (a, b)), shape=(model.face_count, model.face_count))
    _, piece = connected_components(graph, directed=False)
    # Islands without a seam of their own stay whole, also where their faces meet at a corner only.
    touched = np.isin(whole, np.unique(whole[face[np.isin(key, cut)]]))
    first = np.full(int(piece.max()) + 1, model.face_count, np.int64)
    np.minimum.at(first, piece, np.arange(model.face_count))
    first_of_island = np.full(int(whole.max(initial=-1)) + 1, model.face_count, np.int64)
    np.minimum.at(first_of_island, whole[whole >= 0], np.flatnonzero(whole >= 0))
    count = len(first_of_island)
    label = whole.copy()
    mine = first[piece]
    apart = touched & (whole >= 0) & (mine != first_of_island[np.maximum(whole, 0)])
    label[apart] = count + mine[apart]
    return label.astype(np.int32)


def edge_near(model: Model, face: int, point: NDArray[np.float64]) -> tuple[int, int]:
    """The edge of a face that lies nearest to a point, object space."""
    start, end = int(model.face_starts[face]), int(model.face_starts[face + 1])
    vertex = model.corner_vertex[start:end]
    a = model.positions[vertex].astype(np.float64)
    b = np.roll(a, -1, axis=0)
    along = b - a
    share = np.clip(np.einsum("ij,ij->i", point - a, along) / np.maximum(np.einsum("ij,ij->i", along, along), 1e-300), 0, 1)
    nearest = int(np.argmin(np.linalg.norm(a + along * share[:, None] - point, axis=1)))
    p, q = (int(model.welded[v]) for v in (vertex[nearest], vertex[(nearest + 1) % len(vertex)]))
    return min(p, q), max(p, q)


def edge_loop(model: Model, edge: tuple[int, int], most: int = 100_000) -> list[tuple[int, int]]:
    """The edges that go on straight from one through vertices where four faces meet, to both sides; the edge itself comes first."""
    key, _, _ = corner_edges(model)
    face = face_of_corner(model)
    pairs = np.unique(key)
    base = _base(model)
    ends = np.stack([pairs // base, pairs % base], axis=1)
    by_vertex: dict[int, list[int]] = {}
    for row, (p, q) in enumerate(ends.tolist()):
        by_vertex.setdefault(p, []).append(row)
        by_vertex.setdefault(q, []).append(row)
    faces_of: dict[int, set[int]] = {}
    for k, f in zip(np.searchsorted(pairs, key).tolist(), face.tolist(), strict=True):
        faces_of.setdefault(k, set()).add(f)
    start = int(np.searchsorted(pairs, edge[0] * base + edge[1]))
    found, seen = [edge], {start}
    for at in edge:
        row, vertex = start, at
        while len(found) < most:
            around = by_vertex[vertex]
            ahead = [r for r in around if r != row and not faces_of[r] & faces_of[row]]
            if len(around) != 4 or len(ahead) != 1 or ahead[0] in seen:
                break
            row = ahead[0]
            seen.add(row)
            p, q = (int(v) for v in ends[row])
            found.append((p, q))
            vertex = q if p == vertex else p
    return found
