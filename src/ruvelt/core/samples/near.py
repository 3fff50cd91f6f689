"""Blurs that are hardly wider than samples lie apart: means of single neighbours, for there is no lattice as fine."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples._near_kernels import near_means
from ruvelt.core.samples.pieces import PieceScratch
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import SERIAL, Workers

#: Nothing further than so many widths counts.
REACH = 3.5
F32 = NDArray[np.float32]


def _table() -> tuple[F32, F32]:
    """(n,) deviations, sample spacings, and the widths of exp(−d²/2w²) whose sums over samples that lie one apart have them."""
    widths = np.linspace(0.12, 3, 400)
    steps = np.arange(-12, 13)
    weights = np.exp(-(steps**2) / (2 * widths[:, None] ** 2))
    return np.sqrt((weights * steps**2).sum(axis=1) / weights.sum(axis=1)).astype(np.float32), widths.astype(np.float32)


DEVIATIONS, WIDTHS = _table()


def near_blur(samples: SurfaceSamples, values_u16: NDArray[np.uint16], sigma: float, workers: Workers = SERIAL) -> NDArray[np.uint16]:
    """(k, slots) uint16 blurred over the surface with a standard deviation of `sigma` object units, of up to some spacings; k up to 8."""
    grid, pieces, areas = samples.grid, samples.grid_pieces, samples.grid_areas
    values = np.ascontiguousarray(values_u16[:, grid.slot], np.float32)
    # Where samples lie apart by more, a narrow bell between them has to be narrower still to spread no further.
    apart = np.maximum(np.sqrt(areas), np.float32(0.3 * samples.spacing))
    widths = np.ascontiguousarray(apart * np.interp(sigma / apart, DEVIATIONS, WIDTHS), np.float32)
    widths = np.where(sigma > 2.5 * apart, np.float32(sigma), widths)
    radius = REACH * sigma + samples.spacing
    out, total = np.empty_like(values), np.empty(values.shape[1], np.float32)
    cells = len(grid.start) - 1
    edges = np.unique(np.searchsorted(grid.start, np.linspace(0, values.shape[1], 8 * workers.threads + 1)).clip(0, cells))
    edges[0] = 0

    def part(ends: tuple[int, int]) -> None:
        near_means(grid, pieces, PieceScratch.of(pieces), areas, widths, radius, values, *ends, total, out)

    workers.map(part, list(pairwise(edges)))
    result = values_u16.copy()
    result[:, grid.slot] = np.rint(out).astype(np.uint16)
    return result
