"""A bake of one set of samples: chunk by chunk, with rays counted, every piece handed on as soon as it is there."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake._bake_kernels import encode_rows, gather_open, gather_thickness, hemisphere_rays
from ruvelt.core.bake.curvature import Neighbours, on_triangles
from ruvelt.core.bake.maps import SUSPECTS, Measured, MeshMapKind, map_kind
from ruvelt.core.bake.points import PointMaker, Points, chosen
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BIAS, MISSED, BakeSource, Surface
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.chunks import CHUNK
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import SERIAL, Workers

F32 = NDArray[np.float32]
Progress = Callable[[int, int, str], None]
Arrived = Callable[[str, int, U16], None]

#: Rays of one block: enough to keep Embree busy, few enough that a cancel is heard soon.
RAYS_A_BLOCK = 1 << 19
#: How far places that met nothing are drawn off borders, in turn: the least share of the corner across.
PULLS = (0.03, 0.1, 0.25)


def shifts(antialias: int) -> F32:
    """(antialias², 2) float32 places inside a texel, from its centre: the centres of a grid."""
    at = (np.arange(antialias, dtype=np.float32) + np.float32(0.5)) / np.float32(antialias) - np.float32(0.5)
    return np.ascontiguousarray(np.stack([np.tile(at, antialias), np.repeat(at, antialias)], axis=1))


def sky_table(rays: int, seed: int) -> F32:
    """(rays, 2) float32 points of a scrambled Sobol sequence in the unit square (Owen 1995), the same for the same seed."""
    # Imported where it is used: it takes a second that no start should wait for.
    from scipy.stats import qmc

    sobol = qmc.Sobol(2, scramble=True, rng=np.random.default_rng(seed))
    points = sobol.random(1 << max(rays - 1, 0).bit_length())[:rays]
    return np.ascontiguousarray(np.minimum(points, 1 - 2**-24), np.float32)


class Baker:
    """Bakes maps of one set of samples. Deterministic: the same samples, source and settings give the same codes on any number of threads."""

    def __init__(self, samples: SurfaceSamples, source: BakeSource, settings: BakeSettings, workers: Workers = SERIAL) -> None:
        self.samples, self.source, self.settings, self._workers = samples, source, settings, workers
        self._maker = PointMaker(samples)
        self._shifts = shifts(settings.antialias if samples.square else 1)
        # Rays are shared among the places of a texel.
        self._rays = max(1, -(-settings.rays // len(self._shifts)))
        self._lock = Lock()

    @property
    def _curvature_radius(self) -> float:
        return self.settings.curvature_radius * self.source.low.diagonal

    def planned(self, maps: Iterable[str]) -> int:
        """Rays that a bake of these maps casts; a map without rays counts one a texel, so that progress moves."""
        kinds = [map_kind(m) for m in maps]
        hemispheres = len({k.rays for k in kinds if k.rays})
        return int(self.samples.covered_count) * len(self._shifts) * (1 + hemispheres * self._rays)

    def bake(self, maps: Sequence[str], progress: Progress = lambda done, planned, what: None, arrived: Arrived = lambda m, c, v: None) -> None:
        """Bake maps; `arrived(map id, chunk, (components + 1, 65536) uint16)` gets every chunk once, coverage last.

        `progress(done, planned, what)` counts rays and may raise to stop. Raises InputError for maps that these samples cannot hold.
        """
        kinds = [map_kind(m) for m in dict.fromkeys(maps)]
        self.source.prepare()
        planned, done = self.planned(maps), 0

        def count(rays: int, what: str) -> None:
            nonlocal done
            with self._lock:
                done += rays
                progress(min(done, planned), planned, what)

        progress(0, planned, "Measuring")
        chunks = [c for c in range(self.samples.chunk_count) if self.samples.covered[c * CHUNK : (c + 1) * CHUNK].any()]
        around = None
        if any(k.id == "curvature" for k in kinds):
            # All of what is measured, whatever sheets and parts it lies on.
            around = on_triangles(self.source.corners, self.source.normals, self._curvature_radius)
        table = sky_table(self._rays, self.settings.seed) if any(k.rays for k in kinds) else np.zeros((0, 2), np.float32)
        self._workers.map(lambda c: self._chunk(c, kinds, table, around, count, arrived), chunks)

    def _chunk(
        self, chunk: int, kinds: list[MeshMapKind], table: F32, around: Neighbours | None, count: Callable[[int, str], None], arrived: Arrived
    ) -> None:
        sums = {k.id: np.zeros((CHUNK, k.components), np.float32) for k in kinds}
        places, suspect = np.zeros(CHUNK, np.float32), np.zeros(CHUNK, np.uint8)
        for turn in range(len(self._shifts)):
            points = self._maker.chunk(chunk, self._shifts, turn)
            points, surface = self._drawn_in(chunk, turn, points, self.source.project(points, self.settings))
            count(len(points.local), "Measuring the surface")
            places[points.local] += 1
            suspect[points.local] |= surface.suspect
            open_share, bent, thickness = self._hemispheres(chunk, turn, points, surface, kinds, table, count)
            curved = None if around is None else around.curvature(surface.position, surface.normal, self._curvature_radius)
            measured = Measured(points, surface, self.source, self.settings, open_share, bent, thickness, curved)
            for kind in kinds:
                values = kind.values(measured)
                if kind.mixes:
                    sums[kind.id][points.local] += values
                else:
                    first = places[points.local] == 1
                    sums[kind.id][points.local[first]] = values[first]
        covered = np.flatnonzero(places).astype(np.int32)
        share = np.float32(1) / places[covered, None]
        for kind in kinds:
            arrived(
                kind.id, chunk, _codes(sums[kind.id][covered] * (share if kind.mixes else np.float32(1)), covered, kind.components, kind.direction)
            )
        if self.source.projects:
            arrived(SUSPECTS, chunk, _codes(suspect[covered].astype(np.float32)[:, None] / np.float32(255), covered, 1))

    def _drawn_in(self, chunk: int, turn: int, points: Points, surface: Surface) -> tuple[Points, Surface]:
        """What met nothing measured again a little further from borders: that of a coarse mesh reaches past that of a round one."""
        for pull in PULLS:
            missed = (surface.suspect & MISSED).astype(bool)
            if not self.source.projects or not self.samples.square or not missed.any():
                break
            inner = self._maker.chunk(chunk, self._shifts, turn, pull)
            again = self.source.project(inner, self.settings)
            met = missed & (again.triangle >= 0)
            points, surface = chosen(met, points, inner), chosen(met, surface, again)
        return points, surface

    def _hemispheres(
        self, chunk: int, turn: int, points: Points, surface: Surface, kinds: list[MeshMapKind], table: F32, count: Callable[[int, str], None]
    ) -> tuple[F32 | None, F32 | None, F32 | None]:
        wanted = {k.rays for k in kinds}
        if wanted == {""}:
            return None, None, None
        n, rays, seed = len(points.local), len(table), self.settings.seed & 0xFFFFFFFF
        key = (chunk * CHUNK + points.local).astype(np.int64) * len(self._shifts) + turn
        open_share = bent = thickness = None
        scale = float(self.source.scale)
        place = np.ascontiguousarray((surface.position - self.source.centre) * self.source.scale, np.float32)
        # Rays stay on the outside of the face they start from: hemispheres around interpolated normals dip under it.
        outside = self.source.face_normals(surface, points)
        step = max(1, RAYS_A_BLOCK // rays)
        origin, way = np.empty((min(step, n) * rays, 3), np.float32), np.empty((min(step, n) * rays, 3), np.float32)
        if "sky" in wanted:
            open_share, bent = np.empty(n, np.float32), np.empty((n, 3), np.float32)
            reach = self.settings.occlusion_reach * 100 if self.settings.occlusion_reach < 1 else 1e30
            for a in range(0, n, step):
                b = min(a + step, n)
                m = (b - a) * rays
                hemisphere_rays(place, surface.normal, outside, key, table, seed, BIAS, a, b, origin, way)
                hit = self.source.whole.run(origin[:m], way[:m], dists=np.full(m, reach, np.float32), query="OCCLUDED")
                gather_open(hit, way, surface.normal, a, b, rays, open_share, bent)
                count(m, "Rays to the sky")
        if "inside" in wanted:
            thickness = np.empty(n, np.float32)
            inward, under = np.ascontiguousarray(-surface.normal), np.ascontiguousarray(-outside)
            reach = self.settings.thickness_reach * 100
            for a in range(0, n, step):
                b = min(a + step, n)
                m = (b - a) * rays
                hemisphere_rays(place, inward, under, key, table, seed ^ 0x5BD1E995, BIAS, a, b, origin, way)
                far = self.source.whole.run(origin[:m], way[:m], query="DISTANCE")
                gather_thickness(np.ascontiguousarray(far, np.float32), way, inward, a, b, rays, reach, thickness)
                count(m, "Rays through the body")
            thickness /= np.float32(scale)
        return open_share, bent, thickness


def _codes(values: F32, local: NDArray[np.int32], components: int, direction: bool = False) -> U16:
    out = empty_chunk(components + 1)
    encode_rows(np.ascontiguousarray(values, np.float32), local, components, np.float32(1), direction, out)
    return out
