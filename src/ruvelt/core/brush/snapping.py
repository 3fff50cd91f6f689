"""Snapping: points move onto the model's sharp edges, and lines follow them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.stack.camera import Camera

F64 = NDArray[np.float64]
#: Faces that meet at more than this make an edge.
SHARP_DEG = 30.0
#: A line follows the edges between its points only where that way is not much longer than the straight one.
DETOUR = 2.5


def sharp_edges(model: Model, angle_deg: float = SHARP_DEG) -> NDArray[np.int64]:
    """(e, 2) welded vertices of edges where triangles meet at more than an angle, or where the surface ends."""
    weld = model.welded[model.triangles].astype(np.int64)
    p = model.positions.astype(np.float64)[model.triangles]
    normal = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    size = np.linalg.norm(normal, axis=1, keepdims=True)
    normal /= np.maximum(size, 1e-20)
    pairs = np.sort(np.concatenate([weld[:, [0, 1]], weld[:, [1, 2]], weld[:, [2, 0]]]), axis=1)
    face = np.tile(np.arange(len(weld)), 3)
    keep = (pairs[:, 0] != pairs[:, 1]) & (size[face, 0] > 0)
    pairs, face = pairs[keep], face[keep]
    edges, inverse, counts = np.unique(pairs, axis=0, return_inverse=True, return_counts=True)
    order = np.argsort(inverse.ravel(), kind="stable")
    first = np.concatenate([[0], np.cumsum(counts)[:-1]])
    a, b = face[order[first]], face[order[np.minimum(first + 1, len(order) - 1)]]
    bent = (normal[a] * normal[b]).sum(axis=1) < np.cos(np.radians(angle_deg))
    found: NDArray[np.int64] = edges[(counts != 2) | bent]
    return found


class EdgeGraph:
    """The sharp edges of what is visible of a model."""

    def __init__(self, model: Model, caster: RayCaster) -> None:
        self._edges = sharp_edges(model)
        self._caster = caster
        # A welded vertex goes by the place of the first vertex that has it.
        first = np.full(int(model.welded.max(initial=-1)) + 1, -1, np.int64)
        first[model.welded[::-1]] = np.arange(model.vertex_count)[::-1]
        self._places = model.positions.astype(np.float64)[first]
        self._margin = 2e-3 * model.diagonal
        self._reach = 0.02 * model.diagonal

    def snapped(self, points: F64, reach_px: float, camera: Camera | None) -> tuple[F64, list[F64 | None]]:
        """Points (n, 3) moved onto edges within reach, and for each line between neighbours the edges it follows, (k, 3), or None."""
        moved, on = points.copy(), np.full(len(points), -1, np.int64)
        if len(self._edges):
            for i, point in enumerate(points):
                found = self._nearest(point, reach_px, camera)
                if found is not None:
                    moved[i], on[i] = found
        follows: list[F64 | None] = [
            self._between(moved[i], int(on[i]), moved[i + 1], int(on[i + 1])) if on[i] >= 0 and on[i + 1] >= 0 else None
            for i in range(len(points) - 1)
        ]
        return moved, follows

    def _nearest(self, point: F64, reach_px: float, camera: Camera | None) -> tuple[F64, int] | None:
        a, b = self._places[self._edges[:, 0]], self._places[self._edges[:, 1]]
        if camera is None:
            share = np.clip(((point - a) * (b - a)).sum(axis=1) / np.maximum(((b - a) ** 2).sum(axis=1), 1e-20), 0, 1)
            reach = self._reach
            off = np.linalg.norm(a + (b - a) * share[:, None] - point, axis=1)
        else:
            ahead = ((a - camera.eye) @ camera.axes[2] > 0) & ((b - camera.eye) @ camera.axes[2] > 0)
            pa, pb, p = camera.project(a), camera.project(b), camera.project(point[None])[0]
            share = np.clip(((p - pa) * (pb - pa)).sum(axis=1) / np.maximum(((pb - pa) ** 2).sum(axis=1), 1e-20), 0, 1)
            off = np.where(ahead, np.linalg.norm(pa + (pb - pa) * share[:, None] - p, axis=1), np.inf)
            reach = reach_px
        for edge in np.argsort(off)[:24]:
            if not off[edge] <= reach:
                return None
            place = a[edge] + (b[edge] - a[edge]) * share[edge]
            if camera is None or self._seen(place, camera):
                return place, int(edge)
        return None

    def _seen(self, place: F64, camera: Camera) -> bool:
        direction = place - np.asarray(camera.eye)
        distance = float(np.linalg.norm(direction))
        return bool(
            self._caster.cast(np.asarray(camera.eye, np.float64)[None], direction[None] / max(distance, 1e-12)).distance[0] >= distance - self._margin
        )

    def _between(self, a: F64, edge_a: int, b: F64, edge_b: int) -> F64 | None:
        if edge_a == edge_b:
            return np.zeros((0, 3))
        edges, places = self._edges, self._places
        length = np.linalg.norm(places[edges[:, 0]] - places[edges[:, 1]], axis=1)
        graph = coo_matrix((np.maximum(length, 1e-12), (edges[:, 0], edges[:, 1])), shape=(len(places), len(places))).tocsr()
        starts = edges[edge_a]
        cost, before = dijkstra(graph, directed=False, indices=starts, return_predecessors=True)
        directions = [
            (float(np.linalg.norm(a - places[s]) + cost[i, e] + np.linalg.norm(b - places[e])), i, int(e))
            for i, s in enumerate(starts)
            for e in edges[edge_b]
        ]
        total, i, end = min(directions)
        if not total <= DETOUR * float(np.linalg.norm(b - a)):
            return None
        path = [end]
        while before[i, path[-1]] >= 0:
            path.append(int(before[i, path[-1]]))
        found: F64 = places[path[::-1]]
        return found
