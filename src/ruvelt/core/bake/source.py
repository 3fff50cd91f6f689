"""What a bake measures: a high mesh of one or several files, or the model itself, behind Embree."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from ruvelt.core.bake._bake_kernels import cage_rays, judge_hits, take_hits
from ruvelt.core.bake.points import Points
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.errors import InputError
from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals

F32 = NDArray[np.float32]

#: Reasons to suspect a texel: bits of the suspect map.
MISSED, OTHER_PART, FAR_LIMIT = 1, 2, 4
#: Rays start this far off the surface, units of a scene whose diagonal is 100, where Embree's own tolerances fit.
BIAS = 2e-3
#: Bytes a triangle takes while baking: corners, normals and Embree's tree (measured).
BYTES_A_TRIANGLE = 330
#: Back faces that one ray may pass.
PASSES = 6
_SAME = np.zeros(0, np.int32)
_BITS = np.array([MISSED, OTHER_PART, FAR_LIMIT], np.uint8)
#: What tells low from high parts, before a number if there is one; a letter behind it numbers several highs of one low.
_SUFFIX = re.compile(r"[ _.-]+(low|high|lo|hi|lp|hp|low[ _-]?poly|high[ _-]?poly)([ _.-][a-z])?(?=([ _.-]*\d+)?$)", re.IGNORECASE)
#: Copies are numbered so by modelling programs; the number says nothing.
_COPY = re.compile(r"\.\d{3}$")


def part_key(name: str) -> str:
    """What parts of a low and a high mesh have in common: the name without `_low`, `_hp`, `_high_a` and their like, in lower case."""
    return _SUFFIX.sub("", _COPY.sub("", name.strip())).lower()


def needed_bytes(triangles: int) -> int:
    return triangles * BYTES_A_TRIANGLE


@dataclass(frozen=True, eq=False)
class Surface:
    """What points of the low mesh stand for on the measured surface.

    position, normal : (n, 3) float32, object space; height : (n,) float32 distance above the low mesh along its normal, object units
    triangle : (n,) int32 row of the source's triangles, -1 where nothing was met; suspect : (n,) uint8 bits
    """

    position: F32
    normal: F32
    height: F32
    triangle: NDArray[np.int32]
    suspect: NDArray[np.uint8]


class BakeSource:
    """Triangles that rays meet. Without high meshes the model stands for itself."""

    def __init__(self, low: Model, high: Sequence[Model] = ()) -> None:
        self.low, self.high = low, tuple(high)
        self.meshes = self.high or (low,)
        #: Whether points have to be projected onto another mesh.
        self.projects = bool(self.high)
        bounds = low.bounds
        self.centre = ((bounds[0].astype(np.float64) + bounds[1]) / 2).astype(np.float32)
        self.scale = np.float32(100.0 / low.diagonal)
        if self.projects:
            self._check_place()

    def _check_place(self) -> None:
        low, high = (np.array(b) for b in self.low.bounds)
        tops = np.array([m.bounds for m in self.high])
        if not np.isfinite(tops).all():
            raise InputError("The high mesh has vertices that are not numbers. Export it again and choose it anew.")
        size = float(np.linalg.norm(high - low))
        if (tops[:, 1].max(axis=0) < low - size * 0.05).any() or (tops[:, 0].min(axis=0) > high + size * 0.05).any():
            raise InputError("The high mesh does not lie where the model lies, so no ray would meet it. Export both from the same place and scale.")

    @lazy
    def corners(self) -> F32:
        """(t, 3, 3) float32, object space, of every mesh in order."""
        return np.concatenate([m.positions[m.triangles] for m in self.meshes])

    @lazy
    def normals(self) -> F32:
        """(t, 3, 3) float32 unit corner normals."""
        return np.concatenate([corner_normals(m)[m.triangle_corners] for m in self.meshes])

    @lazy
    def faces(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Mesh and face of every triangle, (t,) int32 each."""
        mesh = np.concatenate([np.full(len(m.triangles), i, np.int32) for i, m in enumerate(self.meshes)])
        return mesh, np.concatenate([m.triangle_face for m in self.meshes])

    @lazy
    def keys(self) -> tuple[list[str], NDArray[np.int32]]:
        """Names that parts are matched by, and the one of every triangle."""
        names: list[str] = []
        found = []
        for mesh in self.meshes:
            rows = np.empty(len(mesh.parts), np.int32)
            for i, part in enumerate(mesh.parts):
                key = part_key(part)
                if key not in names:
                    names.append(key)
                rows[i] = names.index(key)
            found.append(rows[mesh.face_part[mesh.triangle_face]])
        return names, np.concatenate(found)

    def _placed(self, places: F32) -> F32:
        return np.ascontiguousarray((places - self.centre) * self.scale, np.float32)

    @lazy
    def whole(self) -> EmbreeScene:
        scene = EmbreeScene()
        self._mesh = TriangleMesh(scene, self._placed(self.corners))
        return scene

    @lazy
    def _parts(self) -> dict[int, tuple[EmbreeScene, object, NDArray[np.int32]]]:
        return {}

    def _part(self, key: int) -> tuple[EmbreeScene, NDArray[np.int32]]:
        if key not in self._parts:
            rows = np.flatnonzero(self.keys[1] == key).astype(np.int32)
            scene = EmbreeScene()
            self._parts[key] = (scene, TriangleMesh(scene, self._placed(self.corners[rows])), rows)
        scene, _, rows = self._parts[key]
        return scene, rows

    def face_normals(self, surface: Surface, points: Points) -> F32:
        """(n, 3) float32 unit normals of the faces that points lie on, on the side of the surface's own normal."""
        if not self.projects:
            return points.geometric
        p = self.corners[np.maximum(surface.triangle, 0)]
        found = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
        length = np.linalg.norm(found, axis=1, keepdims=True)
        side = np.where((found * surface.normal).sum(axis=1, keepdims=True) < 0, np.float32(-1), np.float32(1))
        usable = (surface.triangle >= 0)[:, None] & (length > 0)
        return np.ascontiguousarray(np.where(usable, side * found / np.maximum(length, np.float32(1e-30)), points.geometric), np.float32)

    def prepare(self) -> None:
        """Build what rays need ahead of the first, in one thread."""
        _ = self.whole, self.corners, self.normals, self.keys, self._low_keys

    # -- from the low mesh to the measured surface ------------------------------------------------------------------------------

    def project(self, points: Points, settings: BakeSettings) -> Surface:
        """Cast from outside along the averaged normals, `front` outside to `back` inside; the first fitting hit counts."""
        n = len(points.local)
        if not self.projects:
            flat, own = np.broadcast_to(np.zeros(1, np.float32), n), np.broadcast_to(np.full(1, -1, np.int32), n)
            return Surface(points.position, points.normal, flat, own, np.broadcast_to(np.zeros(1, np.uint8), n))
        front, back = (np.float32(share * self.low.diagonal) for share in (settings.front, settings.back))
        position, normal = points.position.copy(), points.normal.copy()
        triangle, suspect = np.full(n, -1, np.int32), np.empty(n, np.uint8)
        wanted = self._low_keys[self.low.face_part[points.face]]
        if settings.match_parts:
            for key in np.unique(wanted):
                rows = np.flatnonzero(wanted == key)
                scene, index = (self.whole, _SAME) if key < 0 else self._part(int(key))
                self._cast(scene, index, points, rows, front, front + back, settings.ignore_back, position, normal, triangle)
        else:
            self._cast(self.whole, _SAME, points, np.arange(n), front, front + back, settings.ignore_back, position, normal, triangle)
        height = np.empty(n, np.float32)
        judge_hits(points.position, points.cage, points.normal, position, triangle, wanted, self.keys[1], front, back, _BITS, height, suspect)
        return Surface(position, normal, height, triangle, suspect)

    @lazy
    def _low_keys(self) -> NDArray[np.int32]:
        """For each part of the low mesh the name it is matched by, -1 where the high mesh has none of it."""
        names = self.keys[0]
        return np.array([names.index(k) if (k := part_key(p)) in names else -1 for p in self.low.parts], np.int32)

    def _cast(
        self,
        scene: EmbreeScene,
        index: NDArray[np.int32],
        points: Points,
        rows: NDArray[np.int64],
        front: np.float32,
        reach: np.float32,
        ignore_back: bool,
        position: F32,
        normal: F32,
        triangle: NDArray[np.int32],
    ) -> None:
        start, way = np.empty((len(rows), 3), np.float32), np.empty((len(rows), 3), np.float32)
        cage_rays(points.position, points.cage, rows, front, self.centre, self.scale, start, way)
        limit = np.full(len(rows), reach * self.scale, np.float32)
        for _ in range(PASSES if ignore_back else 1):
            found = scene.run(start, way, dists=limit, query="INTERSECT", output=True)
            again = np.empty(len(rows), np.int64)
            count = int(
                take_hits(
                    found["primID"],
                    found["u"],
                    found["v"],
                    found["Ng"],
                    way,
                    ignore_back,
                    index,
                    self.corners,
                    self.normals,
                    rows,
                    position,
                    normal,
                    triangle,
                    again,
                )
            )
            if count == 0:
                break
            left = again[:count]
            step = found["tfar"][left] + np.float32(BIAS)
            rows, way = rows[left], np.ascontiguousarray(way[left])
            start, limit = np.ascontiguousarray(start[left] + way * step[:, None]), np.maximum(limit[left] - step, 0)
