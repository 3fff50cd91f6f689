"""Rays against the model through Embree: what a pointer over a view touches."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model


@dataclass(frozen=True, eq=False)
class Hits:
    """Where rays met the surface.

    triangle : (n,) int32, -1 for a miss; bary : (n, 3) float32; position : (n, 3) float64 object space; distance : (n,) float32.
    """

    triangle: NDArray[np.int32]
    bary: NDArray[np.float32]
    position: NDArray[np.float64]
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

    def cast(self, origins: NDArray[np.float64], directions: NDArray[np.float64]) -> Hits:
        """First hits of rays; origins and unit directions are (n, 3), object space."""
        n = len(origins)
        miss = Hits(np.full(n, -1, np.int32), np.zeros((n, 3), np.float32), np.zeros((n, 3)), np.full(n, np.inf, np.float32))
        good = np.asarray(np.isfinite(origins).all(axis=1) & np.isfinite(directions).all(axis=1))
        if n == 0 or not len(self._index) or not good.any():
            return miss
        start = np.ascontiguousarray((np.where(good[:, None], origins, 0) - self._centre) * self._scale, np.float32)
        way = np.ascontiguousarray(np.where(good[:, None], directions, [0, 0, 1]), np.float32)
        found = self._scene.run(start, way, query="INTERSECT", output=True)
        hit = (found["primID"] >= 0) & good
        u, v = found["u"], found["v"]
        bary = np.stack([1 - u - v, u, v], axis=1).astype(np.float32)
        triangle = np.where(hit, self._index[np.where(hit, found["primID"], 0)], -1).astype(np.int32)
        corners = self._model.positions[self._model.triangles[np.maximum(triangle, 0)]].astype(np.float64)
        position = np.einsum("nk,nkd->nd", bary.astype(np.float64), corners)
        distance = np.where(hit, found["tfar"] / self._scale, np.inf).astype(np.float32)
        return Hits(triangle, bary, np.where(hit[:, None], position, 0), distance)
