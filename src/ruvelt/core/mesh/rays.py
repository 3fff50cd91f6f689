"""Rays against the model through Embree: what a pointer over a view touches."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from ruvelt.core.kernels import f64_scratch, kernel
from ruvelt.core.mesh.model import Model

_UP = np.array([0.0, 0.0, 1.0])


class Hits(NamedTuple):
    """Where rays met the surface.

    triangle : (n,) int32, -1 for a miss; bary : (n, 3) float32; position, normal : (n, 3) float64 object space, the face's unit
    normal, 0 where it has no area; distance : (n,) float32.
    """

    triangle: NDArray[np.int32]
    bary: NDArray[np.float32]
    position: NDArray[np.float64]
    normal: NDArray[np.float64]
    distance: NDArray[np.float32]


class RayCaster:
    """An Embree scene over the visible triangles. Scaled to a box of about 100 units, where Embree's epsilons fit."""

    def __init__(self, model: Model, visible_faces: NDArray[np.bool_] | None = None) -> None:
        keep = np.ones(len(model.triangles), bool) if visible_faces is None else visible_faces[model.triangle_face]
        self._index = np.flatnonzero(keep).astype(np.int32)
        low, high = model.bounds
        self._centre = (low.astype(np.float64) + high) / 2
        self._scale = 100.0 / model.diagonal
        self._model = model
        self._scene = EmbreeScene()
        if len(self._index):
            vertices = ((model.positions - self._centre) * self._scale).astype(np.float32)
            self._mesh = TriangleMesh(self._scene, vertices, np.ascontiguousarray(model.triangles[self._index]))

    @property
    def triangle_count(self) -> int:
        """Triangles that rays can meet."""
        return len(self._index)

    def cast(self, origins: NDArray[np.float64], directions: NDArray[np.float64]) -> Hits:
        """First hits of rays; origins and unit directions are (n, 3), object space."""
        n = len(origins)
        # One sum tells the usual case, where every number is finite.
        bad = n > 0 and not np.isfinite(origins.sum() + directions.sum())
        good: NDArray[np.bool_] = np.isfinite(np.concatenate([origins, directions], axis=1)).all(axis=1) if bad else np.ones(n, bool)
        if n == 0 or not len(self._index) or not good.any():
            nowhere = np.zeros((n, 3))
            return Hits(np.full(n, -1, np.int32), np.zeros((n, 3), np.float32), nowhere, nowhere, np.full(n, np.inf, np.float32))
        if bad:
            origins, directions = np.where(good[:, None], origins, 0), np.where(good[:, None], directions, _UP)
        start = ((origins - self._centre) * self._scale).astype(np.float32)
        direction = directions.astype(np.float32)
        found = self._scene.run(start, direction, query="INTERSECT", output=True)
        hits = Hits(np.empty(n, np.int32), np.zeros((n, 3), np.float32), np.zeros((n, 3)), np.zeros((n, 3)), np.empty(n, np.float32))
        model, primitive = self._model, np.where(good, found["primID"], -1) if bad else found["primID"]
        met = (np.ascontiguousarray(found[name], np.float32) for name in ("u", "v", "tfar"))
        _hits(np.ascontiguousarray(primitive, np.int32), *met, self._scale, self._index, model.positions, model.triangles, hits)
        return hits


f32, f64, i32 = numba.float32, numba.float64, numba.int32


HITS = numba.types.NamedTuple((i32[::1], f32[:, ::1], f64[:, ::1], f64[:, ::1], f32[::1]), Hits)


@kernel(numba.void(i32[::1], f32[::1], f32[::1], f32[::1], f64, i32[::1], f32[:, ::1], i32[:, ::1], HITS))
def _hits(primitive, u, v, far, scale, index, positions, triangles, out):  # type: ignore[no-untyped-def]
    triangle, bary, position, normal, distance = out
    ab, ac = f64_scratch(3), f64_scratch(3)
    for i in range(len(primitive)):
        triangle[i], distance[i] = -1, np.inf
        if primitive[i] < 0:
            continue
        t = index[primitive[i]]
        triangle[i], distance[i] = t, far[i] / scale
        bary[i, 0], bary[i, 1], bary[i, 2] = np.float32(1) - u[i] - v[i], u[i], v[i]
        for k in range(3):
            a = np.float64(positions[triangles[t, 0], k])
            ab[k], ac[k] = np.float64(positions[triangles[t, 1], k]) - a, np.float64(positions[triangles[t, 2], k]) - a
            position[i, k] = a + ab[k] * u[i] + ac[k] * v[i]
        for k in range(3):
            p, q = (k + 1) % 3, (k + 2) % 3
            normal[i, k] = ab[p] * ac[q] - ab[q] * ac[p]
        length = np.sqrt(normal[i, 0] ** 2 + normal[i, 1] ** 2 + normal[i, 2] ** 2)
        if length > 0:
            for k in range(3):
                normal[i, k] /= length
