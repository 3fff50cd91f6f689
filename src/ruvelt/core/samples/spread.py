"""Grow and shrink along the surface."""

from __future__ import annotations

from functools import partial
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples._spread_kernels import cell_ranges, grow_values
from ruvelt.core.samples.grid import SampleGrid
from ruvelt.core.samples.pieces import GridPieces, PieceScratch
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import SERIAL, Workers

#: A long way is gone in strides of so many spacings: far fewer samples are looked at, and the way follows the surface.
STRIDE = 6.0
F32 = NDArray[np.float32]


def surface_grow(samples: SurfaceSamples, values_u16: NDArray[np.uint16], amount: float, workers: Workers = SERIAL) -> NDArray[np.uint16]:
    """(slots,) uint16 whose bright places reach `amount` object units further, or less far below 0."""
    if abs(amount) < 0.5 * samples.spacing or not samples.covered_count:
        return values_u16
    grid = samples.grid
    values = values_u16[grid.slot].astype(np.float32) / np.float32(65535)
    if amount < 0:
        values = 1 - values
    strides = int(np.ceil(abs(amount) / (STRIDE * samples.spacing)))
    pieces = samples.grid_pieces
    cells = len(grid.start) - 1
    edges = np.unique(np.searchsorted(grid.start, np.linspace(0, len(values), 8 * workers.threads + 1)).clip(0, cells))
    edges[0] = 0
    least, most = np.empty(cells, np.float32), np.empty(cells, np.float32)
    gone, reach = np.zeros(len(values), np.float32), abs(amount) / strides
    # A stride begins at a sample, which lies up to a spacing short of where the one before could have ended.
    step = reach + (2 * samples.spacing if strides > 1 else 0.0)
    for stride in range(1, strides + 1):
        cell_ranges(grid.start, values, least, most)
        out, out_gone = values.copy(), gone.copy()
        # Only the last edge fades over a sample, so that it does not break into stairs.
        fade = samples.spacing if stride == strides else 0.0
        workers.map(partial(_part, grid, pieces, (values, gone, most), (step, reach * stride, fade), (out, out_gone)), list(pairwise(edges)))
        values, gone = out, out_gone
    if amount < 0:
        values = 1 - values
    result = values_u16.copy()
    result[grid.slot] = np.rint(values * 65535).astype(np.uint16)
    return result


def _part(
    grid: SampleGrid, pieces: GridPieces, state: tuple[F32, F32, F32], reach: tuple[float, float, float], out: tuple[F32, F32], ends: tuple[int, int]
) -> None:
    grow_values(grid, pieces, PieceScratch.of(pieces), *state, reach, *ends, *out)
