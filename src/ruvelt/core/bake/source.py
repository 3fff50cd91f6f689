"""What a bake measures: a high mesh of one or several files, or the model itself, behind Embree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from threading import RLock

import numpy as np
from embreex.mesh_construction import TriangleMesh
from embreex.rtcore_scene import EmbreeScene
from numpy.typing import NDArray

from ruvelt.core.bake._bake_kernels import cage_rays, judge_hits, take_hits
from ruvelt.core.bake.cage import Cage, Leaving
from ruvelt.core.bake.pairs import Pairing, PartPair
from ruvelt.core.bake.point_arrays import FoundHits, MetSurface
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

    def __init__(self, low: Model, high: Sequence[Model] = (), cage: Model | None = None) -> None:
        self.low, self.high, self._cage_mesh = low, tuple(high), cage
        self.meshes = self.high or (low,)
        self._lock = RLock()
        self._paired: tuple[tuple[PartPair, ...], Pairing] | None = None
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
    def part_names(self) -> tuple[str, ...]:
        """Names of the parts of every mesh in order."""
        return tuple(part for mesh in self.meshes for part in mesh.parts)

    @lazy
    def parts(self) -> NDArray[np.int32]:
        """(t,) int32 row of `part_names` that each triangle belongs to."""
        first = np.cumsum([0, *(len(m.parts) for m in self.meshes)])
        return np.concatenate([(m.face_part[m.triangle_face] + f).astype(np.int32) for m, f in zip(self.meshes, first, strict=False)])

    @lazy
    def _by_part(self) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
        """Triangles in the order of their parts, and where those of each part start."""
        order = np.argsort(self.parts, kind="stable").astype(np.int32)
        return order, np.searchsorted(self.parts[order], np.arange(len(self.part_names) + 1))

    def pairing(self, settings: BakeSettings) -> Pairing:
        """Which parts of the measured mesh each part of the low one is measured against; every chunk asks."""
        if self._paired is None or self._paired[0] != settings.pairs:
            self._paired = (settings.pairs, Pairing.of(self.low.parts, self.part_names, settings.pairs))
        return self._paired[1]

    def _placed(self, places: F32) -> F32:
        return np.ascontiguousarray((places - self.centre) * self.scale, np.float32)

    @lazy
    def whole(self) -> EmbreeScene:
        scene = EmbreeScene()
        self._mesh = TriangleMesh(scene, self._placed(self.corners))
        return scene

    @lazy
    def _scenes(self) -> dict[tuple[int, ...], tuple[EmbreeScene, object, NDArray[np.int32]]]:
        return {}

    def scene_of(self, parts: tuple[int, ...]) -> tuple[EmbreeScene, NDArray[np.int32]]:
        """A scene of some parts only, and the triangle that each of its primitives is."""
        with self._lock:
            if parts not in self._scenes:
                order, start = self._by_part
                rows = np.sort(np.concatenate([order[start[p] : start[p + 1]] for p in parts]))
                scene = EmbreeScene()
                self._scenes[parts] = (scene, TriangleMesh(scene, self._placed(self.corners[rows])), rows)
            scene, _, rows = self._scenes[parts]
            return scene, rows

    def around(self, points: Points, surface: Surface, settings: BakeSettings) -> list[tuple[EmbreeScene, NDArray[np.int64] | None]]:
        """Scenes that shade points, each with the rows of those it shades, None for all."""
        if settings.shading == "everything":
            return [(self.whole, None)]
        rows = self.rows_of(points, surface)
        own = np.where(rows >= 0, self.parts[np.maximum(rows, 0)], -1)
        found: list[tuple[EmbreeScene, NDArray[np.int64] | None]]
        if settings.shading == "own" or not self.projects:
            found = [(self.scene_of((int(p),))[0], np.flatnonzero(own == p)) for p in np.unique(own) if p >= 0]
        else:
            pairing = self.pairing(settings)
            part = self.low.face_part[points.face]
            partners = {int(p): rows for p in np.unique(part) if (rows := pairing.partners[p])}
            found = [(self.scene_of(rows)[0], np.flatnonzero((part == p) & (own >= 0))) for p, rows in partners.items()]
        left = np.ones(len(own), bool)
        for _, mine in found:
            left[mine] = False
        rest = np.flatnonzero(left)
        return [*found, (self.whole, rest)] if len(rest) else found

    def rows_of(self, points: Points, surface: Surface) -> NDArray[np.int32]:
        """(n,) int32 the source's triangle that each point lies on, -1 where none is known."""
        return surface.triangle if self.projects else points.triangle

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

    def prepare(self, settings: BakeSettings) -> None:
        """Build what rays need ahead of the first, in one thread."""
        _ = self.whole, self.corners, self.normals, self._by_part, self._scenes, self._cages
        if self.projects:
            self.cage(settings)

    # -- from the low mesh to the measured surface ------------------------------------------------------------------------------

    @lazy
    def _cages(self) -> dict[tuple[str, float], Cage]:
        return {}

    def cage(self, settings: BakeSettings) -> Cage:
        kind = "blended" if settings.cage == "file" and self._cage_mesh is None else settings.cage
        key = (kind, settings.cage_blend)
        with self._lock:
            if key not in self._cages:
                outer = self._cage_mesh if kind == "file" else None
                self._cages[key] = Cage(self.low, kind, settings.cage_blend * self.low.diagonal, self.low.crease_deg, outer)
            return self._cages[key]

    def project(self, points: Points, settings: BakeSettings, straight: F32 | None = None) -> Surface:
        """Cast from outside along the cage, `front` outside to `back` inside; the first fitting hit counts.

        straight : (n,) float32 how far each ray is turned to leave straight along its face, 0–1
        """
        n = len(points.local)
        if not self.projects:
            flat, own = np.broadcast_to(np.zeros(1, np.float32), n), np.broadcast_to(np.full(1, -1, np.int32), n)
            return Surface(points.position, points.normal, flat, own, np.broadcast_to(np.zeros(1, np.uint8), n))
        leaving = self.cage(settings).leaving(points, settings, self.low.diagonal, straight)
        position, normal = points.position.copy(), points.normal.copy()
        triangle, suspect = np.full(n, -1, np.int32), np.empty(n, np.uint8)
        other, meant = np.zeros(n, bool), np.zeros(n, bool)
        if settings.match_parts:
            pairing, part = self.pairing(settings), self.low.face_part[points.face]
            for p in np.unique(part):
                rows, partners = np.flatnonzero(part == p), pairing.partners[p]
                # What has no partner meets nothing, and is told so.
                if not partners and partners is not None and pairing.said[p]:
                    # Unless somebody wants it so.
                    meant[rows] = True
                elif partners is None or partners:
                    scene, index = (self.whole, _SAME) if partners is None else self.scene_of(partners)
                    self._cast(scene, index, points, rows, leaving, settings.ignore_back, position, normal, triangle)
        else:
            self._cast(self.whole, _SAME, points, np.arange(n), leaving, settings.ignore_back, position, normal, triangle)
            # Not matched by name, what lies under a point may belong to something else: told where names have partners.
            pairing, part = self.pairing(settings), self.low.face_part[points.face]
            met = np.where(triangle >= 0, self.parts[np.maximum(triangle, 0)], -1)
            for p in np.unique(part):
                if partners := pairing.partners[p]:
                    other |= (part == p) & (met >= 0) & ~np.isin(met, partners)
        height = np.empty(n, np.float32)
        judge_hits(points.position, leaving.direction, leaving.reach, points.normal, position, triangle, other, _BITS, height, suspect)
        suspect[meant] = 0
        return Surface(position, normal, height, triangle, suspect)

    def _cast(
        self,
        scene: EmbreeScene,
        index: NDArray[np.int32],
        points: Points,
        rows: NDArray[np.int64],
        leaving: Leaving,
        ignore_back: bool,
        position: F32,
        normal: F32,
        triangle: NDArray[np.int32],
    ) -> None:
        start, direction, limit = np.empty((len(rows), 3), np.float32), np.empty((len(rows), 3), np.float32), np.empty(len(rows), np.float32)
        cage_rays(points.position, leaving.direction, leaving.reach, rows, self.centre, self.scale, start, direction, limit)
        for _ in range(PASSES if ignore_back else 1):
            found = scene.run(start, direction, dists=limit, query="INTERSECT", output=True)
            again = np.empty(len(rows), np.int64)
            count = int(
                take_hits(
                    FoundHits(found["primID"], found["u"], found["v"], found["Ng"]),
                    direction,
                    ignore_back,
                    index,
                    self.corners,
                    self.normals,
                    rows,
                    MetSurface(position, normal, triangle),
                    again,
                )
            )
            if count == 0:
                break
            left = again[:count]
            step = found["tfar"][left] + np.float32(BIAS)
            rows, direction = rows[left], np.ascontiguousarray(direction[left])
            start, limit = np.ascontiguousarray(start[left] + direction * step[:, None]), np.maximum(limit[left] - step, 0)
