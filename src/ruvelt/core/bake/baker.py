"""A bake of one set of samples: chunk by chunk, with rays counted, every piece handed on as soon as it is there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake._bake_kernels import encode_rows, gather_open, gather_thickness, hemisphere_rays
from ruvelt.core.bake.grain import Answers, evened
from ruvelt.core.bake.mesh_map import SUSPECTS, BakedMap, Measured, baked_map
from ruvelt.core.bake.point_arrays import RayRoom, RayStarts
from ruvelt.core.bake.points import PointMaker, Points, chosen
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BIAS, MISSED, BakeSource, Surface
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.curvature import Neighbours, on_triangles
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import SERIAL, Workers

F32 = NDArray[np.float32]
Progress = Callable[[int, int, str], None]
Arrived = Callable[[str, int, U16], None]

#: Rays of one block: enough to keep Embree busy, few enough that a cancel is heard soon.
RAYS_A_BLOCK = 1 << 19
#: Sets of directions that points choose from: more than look alike beside each other.
SETS = 512
#: How far places that met nothing are drawn off borders, in turn: the least share of the corner across.
PULLS = (0.03, 0.1, 0.25)


def shifts(antialias: int) -> F32:
    """(antialias², 2) float32 places inside a texel, from its centre: the centres of a grid."""
    at = (np.arange(antialias, dtype=np.float32) + np.float32(0.5)) / np.float32(antialias) - np.float32(0.5)
    return np.ascontiguousarray(np.stack([np.tile(at, antialias), np.repeat(at, antialias)], axis=1))


def sky_table(rays: int, seed: int) -> F32:
    """(sets, rays, 4) float32: cosine-weighted directions around +z, and numbers 0–1; the same for the same seed.

    Each set holds points of a scrambled Sobol sequence (Owen 1995) turned by a shift of its own (Cranley and Patterson 1976) and laid on the
    hemisphere by the concentric map (Shirley and Chiu 1997).
    """
    # Imported where it is used: it takes a second that no start should wait for.
    from scipy.stats import qmc

    sets = SETS if rays <= 512 else SETS // 8
    rng, exponent = np.random.default_rng(seed), max(rays - 1, 0).bit_length()
    # Three dimensions of one sequence fill the two that tell directions less evenly.
    flat, third = (qmc.Sobol(d, scramble=True, rng=rng).random(1 << exponent)[:rays] for d in (2, 1))
    s, t, w = np.moveaxis((np.concatenate([flat, rng.permutation(third)], axis=1) + rng.random((sets, 1, 3))) % 1, 2, 0)
    s, t = 2 * s - 1, 2 * t - 1
    wide = np.abs(s) > np.abs(t)
    radius = np.where(wide, s, t)
    angle = np.pi / 4 * np.divide(np.where(wide, t, s), radius, out=np.zeros_like(radius), where=radius != 0)
    near, far = radius * np.cos(angle), radius * np.sin(angle)
    x, y = np.where(wide, near, far), np.where(wide, far, near)
    z = np.sqrt(np.maximum(1 - x * x - y * y, 0))
    return np.ascontiguousarray(np.stack([x, y, z, w], axis=2), np.float32)


#: Over which last share of the occlusion's reach what lies there fades.
FADE = 0.5
#: How far each place's ray is turned to leave straight along its face: (65536,) float32 0–1 of a chunk, or None.
Straight = Callable[[int], F32 | None]


class Baker:
    """Bakes maps of one set of samples. Deterministic: the same samples, source and settings give the same codes on any number of threads."""

    def __init__(
        self, samples: SurfaceSamples, source: BakeSource, settings: BakeSettings, workers: Workers = SERIAL, straight: Straight = lambda chunk: None
    ) -> None:
        self.samples, self.source, self.settings, self._workers, self._straight = samples, source, settings, workers, straight
        self._maker = PointMaker(samples)
        self._shifts = shifts(settings.antialias if samples.is_sheet else 1)
        # Rays are shared among the places of a texel.
        self._rays = max(1, -(-settings.rays // len(self._shifts)))
        self._lock = Lock()

    @property
    def _curvature_radius(self) -> float:
        return self.settings.curvature_radius * self.source.low.diagonal

    def planned(self, maps: Iterable[str]) -> int:
        """Rays that a bake of these maps casts; a map without rays counts one a texel, so that progress moves."""
        kinds = [baked_map(m) for m in maps]
        hemispheres = len({k.rays for k in kinds if k.rays})
        return int(self.samples.covered_count) * len(self._shifts) * (1 + hemispheres * self._rays)

    def bake(self, maps: Sequence[str], progress: Progress = lambda done, planned, what: None, arrived: Arrived = lambda m, c, v: None) -> None:
        """Bake maps; `arrived(map id, chunk, (components + 1, 65536) uint16)` gets every chunk, coverage last: maps that cast rays twice where
        their grain is evened out.

        `progress(done, planned, what)` counts rays and may raise to stop. Raises InputError for maps that these samples cannot hold.
        """
        answers = self.measure(maps, progress, arrived)
        self.finish(maps, answers, arrived, stop=lambda: progress(self.planned(maps), self.planned(maps), "Evening out the grain"))

    def measure(self, maps: Sequence[str], progress: Progress, arrived: Arrived) -> Answers | None:
        """Cast every ray and hand all maps on; returns what rays told, where its grain is still to be evened out by `finish`."""
        kinds = [baked_map(m) for m in dict.fromkeys(maps)]
        planned, done = self.planned(maps), 0
        progress(0, planned, "Building what rays meet")
        self.source.prepare(self.settings)

        def count(rays: int, what: str) -> None:
            nonlocal done
            with self._lock:
                done += rays
                progress(min(done, planned), planned, what)

        chunks = [c for c in range(self.samples.chunk_count) if self.samples.covered[c * CHUNK : (c + 1) * CHUNK].any()]
        around = None
        if any(k.id == "curvature" for k in kinds):
            progress(0, planned, "Spreading points for curvature")
            # All of what is measured, whatever sheets and parts it lies on.
            around = on_triangles(self.source.corners, self.source.normals, self._curvature_radius)
        progress(0, planned, "Measuring the surface")
        table = sky_table(self._rays, self.settings.seed) if any(k.rays for k in kinds) else np.zeros((1, 0, 4), np.float32)
        found = self._workers.map(lambda c: self._chunk(c, kinds, table, around, count, arrived), chunks)
        pieces = [piece for piece in found if piece is not None]
        return Answers.joined(pieces) if pieces and self.settings.grain > 0 else None

    def finish(
        self, maps: Sequence[str], answers: Answers | None, arrived: Arrived, beside: Sequence[Answers] = (), stop: Callable[[], None] = lambda: None
    ) -> None:
        """Even out the grain of what `measure` gave and hand the maps that cast rays on anew. `beside`: answers of other sheets."""
        if answers is None:
            return
        smooth = evened(answers, self.settings.grain, self._rays * len(self._shifts), self._workers, beside, lambda done: stop())
        starts = np.searchsorted(smooth.slot, np.arange(self.samples.chunk_count + 1) * CHUNK)
        for kind in (baked_map(m) for m in dict.fromkeys(maps)):
            if not kind.rays:
                continue
            for chunk in np.flatnonzero(np.diff(starts)):
                rows = np.arange(starts[chunk], starts[chunk + 1])
                values = kind.of_rays(smooth.rows(rows))
                local = np.ascontiguousarray(smooth.slot[rows] - chunk * CHUNK, np.int32)
                arrived(kind.id, int(chunk), _values_u16(values, local, kind.components, kind.direction))

    def _chunk(
        self, chunk: int, kinds: list[BakedMap], table: F32, around: Neighbours | None, count: Callable[[int, str], None], arrived: Arrived
    ) -> Answers | None:
        sums = {k.id: np.zeros((CHUNK, k.components), np.float32) for k in kinds if not k.rays}
        wanted = {k.rays for k in kinds if k.rays}
        told = _Sums(wanted, any(k.id == "bent_normal" for k in kinds))
        places, suspect = np.zeros(CHUNK, np.float32), np.zeros(CHUNK, np.uint8)
        mask = self._straight(chunk)
        for turn in range(len(self._shifts)):
            points = self._maker.chunk(chunk, self._shifts, turn)
            straight = None if mask is None else mask[points.local]
            points, surface = self._drawn_in(chunk, turn, points, self.source.project(points, self.settings, straight), straight)
            count(len(points.local), "Measuring the surface")
            places[points.local] += 1
            suspect[points.local] |= surface.suspect
            if wanted:
                told.add(points, surface, *self._hemispheres(chunk, turn, points, surface, wanted, table, count))
            curved = None if around is None else around.curvature(surface.position, surface.normal, self._curvature_radius)
            measured = Measured(points, surface, self.source, self.settings, curved)
            for kind in kinds:
                if kind.rays:
                    continue
                values = kind.values(measured)
                if kind.mixes:
                    sums[kind.id][points.local] += values
                else:
                    first = places[points.local] == 1
                    sums[kind.id][points.local[first]] = values[first]
        covered = np.flatnonzero(places).astype(np.int32)
        share = np.float32(1) / places[covered, None]
        answers = told.means(covered, share, covered + chunk * CHUNK, self.samples) if wanted else None
        for kind in kinds:
            if not kind.rays:
                values = sums[kind.id][covered] * (share if kind.mixes else np.float32(1))
            else:
                assert answers is not None
                values = kind.of_rays(answers)
            arrived(kind.id, chunk, _values_u16(values, covered, kind.components, kind.direction))
        if self.source.projects:
            arrived(SUSPECTS, chunk, _values_u16(suspect[covered].astype(np.float32)[:, None] / np.float32(255), covered, 1))
        return answers

    def _drawn_in(self, chunk: int, turn: int, points: Points, surface: Surface, straight: F32 | None) -> tuple[Points, Surface]:
        """What met nothing measured again a little further from borders: that of a coarse mesh reaches past that of a round one."""
        for pull in PULLS:
            missed = (surface.suspect & MISSED).astype(bool)
            if not self.source.projects or not self.samples.is_sheet or not missed.any():
                break
            inner = self._maker.chunk(chunk, self._shifts, turn, pull)
            again = self.source.project(inner, self.settings, straight)
            met = missed & (again.triangle >= 0)
            points, surface = chosen(met, points, inner), chosen(met, surface, again)
        return points, surface

    def _hemispheres(
        self, chunk: int, turn: int, points: Points, surface: Surface, wanted: set[str], table: F32, count: Callable[[int, str], None]
    ) -> tuple[F32 | None, F32 | None, F32 | None]:
        """Open share, bent normal and thickness (0–1 of its reach) of points, as far as they are wanted."""
        n, rays, seed, source = len(points.local), table.shape[1], self.settings.seed & 0xFFFFFFFF, self.source
        key = (chunk * CHUNK + points.local).astype(np.int64) * len(self._shifts) + turn
        # Rays stay on the outside of the face they start from: hemispheres around interpolated normals dip under it.
        outside = source.face_normals(surface, points)
        around = source.around(points, surface, self.settings)
        place = np.ascontiguousarray((surface.position - source.centre) * source.scale, np.float32)
        open_share = bent = thickness = None
        if "sky" in wanted:
            open_share, bent = np.empty(n, np.float32), np.empty((n, 3), np.float32)
            reach = self.settings.occlusion_reach * 100 if self.settings.occlusion_reach < 1 else 1e30
            sky = _Rays(place, np.ascontiguousarray(surface.normal), outside, key)
            for scene, rows in around:
                for part, a, b, origin, direction, limit in self._rays_of(sky, rows, table, seed, reach, FADE if reach < 1e30 else 0.0):
                    hit = scene.run(origin, direction, dists=limit, query="OCCLUDED")
                    some, leaning = np.empty(b - a, np.float32), np.empty((b - a, 3), np.float32)
                    gather_open(hit, direction, part.normal[a:b], 0, b - a, rays, some, leaning)
                    open_share[part.row[a:b]], bent[part.row[a:b]] = some, leaning
                    count((b - a) * rays, "Rays to the sky")
        if "inside" in wanted:
            thickness = np.empty(n, np.float32)
            reach = self.settings.thickness_reach * 100
            inward = _Rays(place, -surface.normal, -outside, key)
            for scene, rows in around:
                for part, a, b, origin, direction, _ in self._rays_of(inward, rows, table, seed ^ 0x5BD1E995, reach, 0.0):
                    far = np.ascontiguousarray(scene.run(origin, direction, query="DISTANCE"), np.float32)
                    deep = np.empty(b - a, np.float32)
                    gather_thickness(far, direction, part.normal[a:b], 0, b - a, rays, reach, deep)
                    thickness[part.row[a:b]] = deep / np.float32(reach)
                    count((b - a) * rays, "Rays through the body")
        return open_share, bent, thickness

    def _rays_of(
        self, rays: _Rays, rows: NDArray[np.int64] | None, table: F32, seed: int, reach: float, fade: float
    ) -> Iterator[tuple[_Rays, int, int, F32, F32, F32]]:
        """Blocks of rays of some points (None: all): the points, those first … last of them, and their rays' origins, directions and limits."""
        part, each = rays if rows is None else rays.of(rows), table.shape[1]
        n = len(part.row)
        step = max(1, RAYS_A_BLOCK // each)
        room = RayRoom.of(min(step, n) * each)
        starts = RayStarts(part.position, part.normal, part.outside, part.key)
        for a in range(0, n, step):
            b = min(a + step, n)
            m = (b - a) * each
            hemisphere_rays(starts, table, seed, BIAS, reach, fade, a, b, room)
            yield part, a, b, room.origin[:m], room.direction[:m], room.limit[:m]


@dataclass(frozen=True, eq=False)
class _Rays:
    """What rays of points start from: (n, …) rows; `row` says which of all points each is."""

    position: F32
    normal: F32
    outside: F32
    key: NDArray[np.int64]
    row: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, np.int64))

    def __post_init__(self) -> None:
        if not len(self.row):
            object.__setattr__(self, "row", np.arange(len(self.key)))

    def of(self, rows: NDArray[np.int64]) -> _Rays:
        return _Rays(self.position[rows], self.normal[rows], self.outside[rows], self.key[rows], rows)


class _Sums:
    """What rays told of the places of a chunk's texels, added up."""

    def __init__(self, wanted: set[str], leaning: bool) -> None:
        self._position, self._normal = np.zeros((CHUNK, 3), np.float32), np.zeros((CHUNK, 3), np.float32)
        self._open = np.zeros(CHUNK, np.float32) if "sky" in wanted else None
        self._bent = np.zeros((CHUNK, 3), np.float32) if leaning else None
        self._thickness = np.zeros(CHUNK, np.float32) if "inside" in wanted else None

    def add(self, points: Points, surface: Surface, open_share: F32 | None, bent: F32 | None, thickness: F32 | None) -> None:
        local = points.local
        self._position[local] += surface.position
        self._normal[local] += surface.normal
        for total, some in ((self._open, open_share), (self._bent, bent), (self._thickness, thickness)):
            if total is not None and some is not None:
                total[local] += some

    def means(self, local: NDArray[np.int32], share: F32, slot: NDArray[np.int32], samples: SurfaceSamples) -> Answers:
        def mean(total: F32 | None) -> F32 | None:
            return None if total is None else total[local] * (share if total.ndim == 2 else share[:, 0])

        normal = self._normal[local] / np.maximum(np.linalg.norm(self._normal[local], axis=1, keepdims=True), np.float32(1e-12))
        area = samples.sample_areas(slot)
        return Answers(slot, self._position[local] * share, normal, area, mean(self._open), mean(self._bent), mean(self._thickness))


def _values_u16(values: F32, local: NDArray[np.int32], components: int, direction: bool = False) -> U16:
    out = empty_chunk(components + 1)
    encode_rows(np.ascontiguousarray(values, np.float32), local, components, np.float32(1), direction, out)
    return out
