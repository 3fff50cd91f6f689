"""A uniform grid over samples: the samples inside a ball are a few contiguous runs of a sorted list."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import helper, kernel
from ruvelt.core.samples._cell_kernels import cell_at

#: Samples per occupied cell aimed at: fewer cost more look-ups, more cost more distance tests.
PER_CELL = 60
MAX_CELLS = 16_000_000


class SampleGrid(NamedTuple):
    """Samples sorted by cell, x fastest. Kernels take it whole, as `GRID`.

    low : (3,) float32 object space; cell : edge of a cell; dims : (3,) int32
    start : (cells + 1,) int32 into the sorted arrays; slot : (n,) int32; xyz : (3, n) float32; normal : (3, n) int8 (×127)
    """

    low: NDArray[np.float32]
    cell: float
    dims: NDArray[np.int32]
    start: NDArray[np.int32]
    slot: NDArray[np.int32]
    xyz: NDArray[np.float32]
    normal: NDArray[np.int8]

    @staticmethod
    def build(positions: NDArray[np.float32], normals: NDArray[np.float32], slots: NDArray[np.int32], spacing: float) -> SampleGrid:
        """`positions`, `normals`: (slots, 3) float32 object space; `slots`: the (n,) int32 samples to hold."""
        if not len(slots):
            empty = np.zeros((3, 0), np.float32)
            return SampleGrid(np.zeros(3, np.float32), 1.0, np.ones(3, np.int32), np.zeros(2, np.int32), slots, empty, np.zeros((3, 0), np.int8))
        low, high = np.full(3, np.inf, np.float32), np.full(3, -np.inf, np.float32)
        _bounds(positions, slots, low, high)
        extent = np.maximum((high - low).astype(np.float64), 1e-9)
        cell = max(spacing * PER_CELL**0.5, float(extent.max()) * 1e-4, 1e-12)
        while np.prod(np.floor(extent / cell) + 1) > MAX_CELLS:
            cell *= 1.26
        dims = (np.floor(extent / cell) + 1).astype(np.int32)
        start = np.zeros(int(np.prod(dims.astype(np.int64))) + 1, np.int32)
        out_slot = np.empty(len(slots), np.int32)
        out_xyz = np.empty((3, len(slots)), np.float32)
        out_normal = np.empty((3, len(slots)), np.int8)
        _sort(positions, normals, slots, low, np.float32(1 / cell), dims, start, out_slot, out_xyz, out_normal)
        return SampleGrid(low, cell, dims, start, out_slot, out_xyz, out_normal)

    def nearest(self, points: NDArray[np.float64], reach: float) -> NDArray[np.int32]:
        """(n,) int32 slot of the sample nearest to each (n, 3) point within `reach` object units, else -1."""
        out = np.full(len(points), -1, np.int32)
        places = np.ascontiguousarray(points, np.float32)
        _nearest(places, np.float32(reach), self, out)
        return out


_f32, _i32 = numba.float32, numba.int32
#: Type of a grid in kernels.
GRID = numba.types.NamedTuple((_f32[::1], numba.float64, _i32[::1], _i32[::1], _i32[::1], _f32[:, ::1], numba.int8[:, ::1]), SampleGrid)


@kernel(numba.void(numba.float32[:, ::1], numba.int32[::1], numba.float32[::1], numba.float32[::1]))
def _bounds(positions, slots, low, high):  # type: ignore[no-untyped-def]
    for s in slots:
        for k in range(3):
            v = positions[s, k]
            low[k] = min(low[k], v)
            high[k] = max(high[k], v)


@kernel(
    numba.void(
        numba.float32[:, ::1],
        numba.float32[:, ::1],
        numba.int32[::1],
        numba.float32[::1],
        numba.float32,
        numba.int32[::1],
        numba.int32[::1],
        numba.int32[::1],
        numba.float32[:, ::1],
        numba.int8[:, ::1],
    ),
    allocates=True,
)
def _sort(positions, normals, slots, low, inv, dims, start, out_slot, out_xyz, out_normal):  # type: ignore[no-untyped-def]
    cell_of = np.empty(len(slots), np.int32)
    for i in range(len(slots)):
        s = slots[i]
        x = cell_at((positions[s, 0] - low[0]) * inv, dims[0])
        y = cell_at((positions[s, 1] - low[1]) * inv, dims[1])
        z = cell_at((positions[s, 2] - low[2]) * inv, dims[2])
        c = (z * dims[1] + y) * dims[0] + x
        cell_of[i] = c
        start[c + 1] += 1
    for c in range(1, len(start)):
        start[c] += start[c - 1]
    fill = start[:-1].copy()
    for i in range(len(slots)):
        s = slots[i]
        at = fill[cell_of[i]]
        fill[cell_of[i]] += 1
        out_slot[at] = s
        for k in range(3):
            out_xyz[k, at] = positions[s, k]
            out_normal[k, at] = np.int8(round(normals[s, k] * 127))


@helper
def search(px, py, pz, reach, known, away, grid):  # type: ignore[no-untyped-def]
    """Slot of the sample nearest to a point within `reach`, else -1; of two as near the lower slot. For kernels.

    known : slot of a sample within reach that lies at a squared distance of `away`, or -1: then nothing farther is looked at
    """
    low, cell, dims, start, slot, xyz = grid.low, grid.cell, grid.dims, grid.start, grid.slot, grid.xyz
    best_slot = np.int32(known)
    # Most points lie on the surface: a small ball finds their sample at once; only for the others it grows.
    ball = min(reach, np.float32(cell / 4)) if known < 0 else np.sqrt(away) * np.float32(1.0001)
    while True:
        best = ball * ball if known < 0 else away
        x0 = cell_at((px - ball - low[0]) / cell, dims[0])
        x1 = cell_at((px + ball - low[0]) / cell, dims[0])
        y0 = cell_at((py - ball - low[1]) / cell, dims[1])
        y1 = cell_at((py + ball - low[1]) / cell, dims[1])
        z0 = cell_at((pz - ball - low[2]) / cell, dims[2])
        z1 = cell_at((pz + ball - low[2]) / cell, dims[2])
        for z in range(z0, z1 + 1):
            zl = low[2] + z * cell
            gz = max(zl - pz, pz - zl - cell, 0.0)
            for y in range(y0, y1 + 1):
                yl = low[1] + y * cell
                gy = max(yl - py, py - yl - cell, 0.0)
                # Only the cells that can hold anything nearer than the nearest so far; a little more, for cells are told in float32.
                rest = best - gz * gz - gy * gy + 1e-4 * cell * cell
                row = (z * dims[1] + y) * dims[0]
                # Far from a surface most rows are empty.
                if rest < 0 or start[row + x0] == start[row + x1 + 1]:
                    continue
                half = np.sqrt(rest) + 1e-3 * cell
                xa = min(max(cell_at((px - half - low[0]) / cell, dims[0]), x0), x1)
                xb = min(max(cell_at((px + half - low[0]) / cell, dims[0]), x0), x1)
                for j in range(start[row + xa], start[row + xb + 1]):
                    dx, dy, dz = xyz[0, j] - px, xyz[1, j] - py, xyz[2, j] - pz
                    d = dx * dx + dy * dy + dz * dz
                    if d < best or (d == best and best_slot >= 0 and slot[j] < best_slot):
                        best = d
                        best_slot = slot[j]
        if best_slot >= 0 or not ball < reach:
            break
        ball = min(reach, ball * np.float32(1.5))
    return best_slot


@kernel(numba.void(numba.float32[:, ::1], numba.float32, GRID, numba.int32[::1]))
def _nearest(points, reach, grid, out):  # type: ignore[no-untyped-def]
    for i in range(len(points)):
        out[i] = search(points[i, 0], points[i, 1], points[i, 2], reach, np.int64(-1), np.float32(0), grid)
