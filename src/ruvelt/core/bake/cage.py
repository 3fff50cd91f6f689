"""Cages: which way rays leave the low mesh, and how far."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake._cage_kernels import cage_directions
from ruvelt.core.bake.point_arrays import CageCorners
from ruvelt.core.bake.points import Points, averaged_normals
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import crease_normals

F32 = NDArray[np.float32]
#: Normals that differ by more than the cosine's rest split a surface at an edge.
_SPLIT = 1e-4


@dataclass(frozen=True, eq=False)
class Leaving:
    """How rays leave (n, …) points: `way` float32 unit, outward; `reach` (n, 2) float32 distances outside and inside along it, object units."""

    direction: F32
    reach: F32


class Cage:
    """Directions of a low mesh's rays, of the kind that settings ask for.

    averaged : over all that meets at a place, wherever a point lies between; split : by the surface, open at hard edges
    blended : averaged on hard edges, split from a distance on; file : from the low mesh's places towards those of a mesh like it
    """

    def __init__(self, low: Model, kind: str, blend: float, crease_deg: float, outer: Model | None = None) -> None:
        self._kind, self._outer = kind, outer
        averaged, split = averaged_normals(low), crease_normals(low, crease_deg)
        if kind == "averaged":
            split = averaged
        elif kind == "split":
            averaged = split
        rows = low.triangle_corners
        self._averaged, self._split = (np.ascontiguousarray(n[rows]) for n in (averaged, split))
        self._place = np.ascontiguousarray(low.welded[low.triangles], np.int32)
        self._blend = np.float32(blend if kind == "blended" else 0)
        corners = low.positions[low.triangles]
        self._star, self._edge, self._ends = hard_edges(self._place, corners, self._split) if kind == "blended" else _none(self._place)
        if outer is not None:
            if not np.isfinite(outer.positions).all():
                raise InputError("The cage has vertices that are not numbers. Export it again and choose it anew.")
            if outer.vertex_count != low.vertex_count or not np.array_equal(outer.triangles, low.triangles):
                raise InputError(
                    f"The cage has {outer.vertex_count:,} vertices in {len(outer.triangles):,} triangles, and the model {low.vertex_count:,} in "
                    f"{len(low.triangles):,}. A cage is the model itself, grown: export it with the same vertices in the same order."
                )
            self._outer_corners = outer.positions[outer.triangles]

    def leaving(self, points: Points, settings: BakeSettings, diagonal: float, straight: F32 | None = None) -> Leaving:
        """`straight`: (n,) float32 how far each ray is turned to leave straight along its face, 0–1."""
        n = len(points.local)
        front, back = np.float32(settings.front * diagonal), np.float32(settings.back * diagonal)
        if points.bary is None:
            # A vertex has one normal, averaged by itself.
            return Leaving(points.normal, np.broadcast_to(np.array([front, back], np.float32), (n, 2)).copy())
        direction, stretch = np.empty((n, 3), np.float32), np.empty(n, np.float32)
        mask = np.zeros(n, np.float32) if straight is None else np.ascontiguousarray(straight, np.float32)
        corners = CageCorners(self._averaged, self._split, self._place, self._star, self._edge, self._ends, self._blend)
        cage_directions(points.triangle, points.bary, points.position, points.geometric, corners, mask, direction, stretch)
        reach = np.stack([front * stretch, back * stretch], axis=1)
        if self._kind == "file" and self._outer is not None:
            out = np.einsum("nk,nkd->nd", points.bary, self._outer_corners[points.triangle]) - points.position
            far = np.linalg.norm(out, axis=1)
            # Where the cage touches the model, rays leave as without one; what is painted straight stays straight.
            own = (far > 1e-6 * diagonal) & (mask <= 0)
            direction[own] = out[own] / far[own, None]
            reach[own, 0] = far[own]
        return Leaving(direction, np.ascontiguousarray(reach, np.float32))

    def shell(self, low: Model, rows: NDArray[np.int32], settings: BakeSettings, most: int = 60_000) -> tuple[F32, F32]:
        """(n, 3, 3) float32 triangles each of where rays from some of the model's triangles start, and of where they end, object space.

        Triangles at hard edges are cut finely enough to show the blend, as long as there are no more than `most`.
        """
        cuts = np.ones(len(rows), np.int64)
        corners = low.positions[low.triangles[rows]]
        if self._kind == "blended" and len(rows) < most:
            longest = np.linalg.norm(corners - np.roll(corners, 1, axis=1), axis=2).max(axis=1)
            hard = (np.diff(self._star)[self._place[rows]] > 0).any(axis=1)
            wanted = np.where(hard, np.clip(np.ceil(longest / max(float(self._blend) / 3, 1e-12)), 1, 48), 1)
            # Halved until all fit.
            while (wanted**2).sum() > most and wanted.max() > 1:
                wanted = np.maximum(np.floor(wanted / 2), 1)
            cuts = wanted.astype(np.int64)
        outer, inner = [np.zeros((0, 3, 3), np.float32)], [np.zeros((0, 3, 3), np.float32)]
        for cut in np.unique(cuts):
            mine, weights = rows[cuts == cut], _pieces(int(cut))
            triangle = np.repeat(mine, len(weights) * 3).astype(np.int32)
            bary = np.ascontiguousarray(np.tile(weights.reshape(-1, 3), (len(mine), 1)))
            p = low.positions[low.triangles[triangle]]
            normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
            normal = np.ascontiguousarray(normal / np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), np.float32(1e-30)), np.float32)
            position = np.ascontiguousarray(np.einsum("nk,nkd->nd", bary, p), np.float32)
            leaving = self.leaving(Points(triangle, triangle, position, normal, normal, triangle, bary, None), settings, low.diagonal)
            outer.append((position + leaving.direction * leaving.reach[:, :1]).reshape(-1, 3, 3))
            inner.append((position - leaving.direction * leaving.reach[:, 1:]).reshape(-1, 3, 3))
        return np.ascontiguousarray(np.concatenate(outer), np.float32), np.ascontiguousarray(np.concatenate(inner), np.float32)


def _pieces(cut: int) -> F32:
    """(cut², 3, 3) float32 corner weights of the pieces of a triangle cut into `cut` strips each way."""
    up = [[(i, j), (i + 1, j), (i, j + 1)] for j in range(cut) for i in range(cut - j)]
    down = [[(i + 1, j), (i + 1, j + 1), (i, j + 1)] for j in range(cut) for i in range(cut - j - 1)]
    place = np.array(up + down, np.float64) / cut
    return np.ascontiguousarray(np.stack([1 - place.sum(axis=2), place[..., 0], place[..., 1]], axis=2), np.float32)


def _none(place: NDArray[np.int32]) -> tuple[NDArray[np.int32], NDArray[np.int32], F32]:
    return np.zeros(int(place.max(initial=-1)) + 2, np.int32), np.zeros(0, np.int32), np.zeros((0, 2, 3), np.float32)


def hard_edges(place: NDArray[np.int32], corners: F32, normals: F32) -> tuple[NDArray[np.int32], NDArray[np.int32], F32]:
    """Edges at which corner normals differ: where those of each place start, (m,) rows of them, and their (k, 2, 3) ends.

    place : (t, 3) numbers of corners; corners, normals : (t, 3, 3)
    """
    t, k = np.repeat(np.arange(len(place)), 3), np.tile(np.arange(3), len(place))
    a, b = k, (k + 1) % 3
    swap = place[t, a] > place[t, b]
    a, b = np.where(swap, b, a), np.where(swap, a, b)
    order = np.lexsort((place[t, b], place[t, a]))
    t, a, b = t[order], a[order], b[order]
    low, high = place[t, a], place[t, b]
    same = (low[1:] == low[:-1]) & (high[1:] == high[:-1]) & (low[1:] != high[1:])
    one = (normals[t[1:], a[1:]] * normals[t[:-1], a[:-1]]).sum(axis=1)
    other = (normals[t[1:], b[1:]] * normals[t[:-1], b[:-1]]).sum(axis=1)
    hard = np.flatnonzero(same & (np.minimum(one, other) < 1 - _SPLIT))
    # Edges that more than two faces share come once.
    hard = hard[np.concatenate([[True], (low[hard[1:]] != low[hard[:-1]]) | (high[hard[1:]] != high[hard[:-1]])])] if len(hard) else hard
    ends = np.stack([corners[t[hard], a[hard]], corners[t[hard], b[hard]]], axis=1)
    at = np.concatenate([low[hard], high[hard]])
    rows = np.tile(np.arange(len(hard), dtype=np.int32), 2)[np.argsort(at, kind="stable")]
    star = np.concatenate([[0], np.cumsum(np.bincount(at, minlength=int(place.max(initial=-1)) + 1))]).astype(np.int32)
    return star, np.ascontiguousarray(rows), np.ascontiguousarray(ends, np.float32)
