"""Mean curvature from the normals around a place, the same whatever sheet, island or resolution asks for it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples._curvature_kernels import mean_curvature, spread_points
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.samples.grid import SampleGrid
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
#: Neighbours inside a radius on a flat surface, where there are so many.
WANTED = 700
#: No more are kept of a whole model.
MOST = 6_000_000
#: Fewer than this inside a radius tell nothing: the radius grows.
LEAST = 20


@dataclass(frozen=True, eq=False)
class Neighbours:
    """Points of a surface with unit normals and the area each stands for, sorted into a grid; `spacing`: typical distance between them."""

    grid: SampleGrid
    normal: F32
    area: F32
    spacing: float

    @staticmethod
    def of(position: F32, normal: F32, area: F32) -> Neighbours:
        rows = np.arange(len(position), dtype=np.int32)
        spacing = float(np.sqrt(area.sum(dtype=np.float64) / max(len(position), 1))) or 1.0
        grid = SampleGrid.build(position, normal, rows, spacing)
        return Neighbours(grid, np.ascontiguousarray(normal[grid.slot].T), np.ascontiguousarray(area[grid.slot]), spacing)

    def curvature(self, position: F32, normal: F32, radius: float) -> F32:
        """(n,) float32 mean curvature, one over object units, at (n, 3) positions with unit normals; see `mean_curvature`."""
        radius = max(radius, self.spacing * np.sqrt(LEAST / np.pi))
        out = np.empty(len(position), np.float32)
        g = self.grid
        mean_curvature(
            np.ascontiguousarray(position), np.ascontiguousarray(normal), radius, g.low, g.cell, g.dims, g.start, g.xyz, self.normal, self.area, out
        )
        return out


def on_triangles(corners: F32, normals: F32, radius: float) -> Neighbours:
    """Points spread evenly over (t, 3, 3) triangles with (t, 3, 3) corner normals, enough for a radius.

    Each triangle has as many as its area asks for, by an additive recurrence in two dimensions (M. Roberts, 2018), folded into the triangle.
    """
    p = corners.astype(np.float64)
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 2
    keep = np.isfinite(area) & (area > 0)
    each = max(np.pi * radius**2 / WANTED, float(area[keep].sum()) / MOST, 1e-300)
    count = np.where(keep, np.maximum(np.rint(area / each), 1), 0).astype(np.int64)
    total = int(count.sum())
    position, normal, share = np.empty((total, 3), np.float32), np.empty((total, 3), np.float32), np.empty(total, np.float32)
    spread_points(corners, normals, np.concatenate([[0], np.cumsum(count)]), area, position, normal, share)
    return Neighbours.of(position, normal, share)


def on_samples(samples: SurfaceSamples, position: F32, normal: F32, radius: float) -> Neighbours:
    """The covered samples, (slots, 3) positions and normals, thinned evenly to what a radius asks for."""
    slots = np.flatnonzero(samples.covered).astype(np.int32)
    many = np.pi * (radius / samples.spacing) ** 2 / WANTED
    stride = max(1, int(np.sqrt(many))) if samples.is_sheet else max(1, int(many))
    if samples.is_sheet:
        local = slots & (CHUNK - 1)
        kept = slots[(local % CHUNK_SIDE % stride == 0) & (local // CHUNK_SIDE % stride == 0)]
        weight = stride**2
    else:
        kept, weight = slots[::stride], stride
    return Neighbours.of(position[kept], normal[kept], samples.sample_areas(kept) * np.float32(weight))


def curvature_of(
    samples: SurfaceSamples, position: F32, normal: F32, radius: float, workers: Workers, tick: Callable[[], None] = lambda: None
) -> F32:
    """(slots,) float32 mean curvature, one over object units, of (slots, 3) positions and unit normals."""
    around = on_samples(samples, position, normal, radius)
    slots = np.flatnonzero(samples.covered).astype(np.int32)
    out = np.zeros(samples.slot_count, np.float32)

    def compare(first: int) -> None:
        mine = slots[first : first + CHUNK // 4]
        out[mine] = around.curvature(position[mine], normal[mine], radius)
        tick()

    workers.map(compare, range(0, len(slots), CHUNK // 4))
    return out
