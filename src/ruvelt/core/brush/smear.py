"""Smear: what a finger does to wet paint. The brush carries a picture under it, lays part of it and takes up part of what it meets."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import _smear_kernels as kernels
from ruvelt.core.brush import dab
from ruvelt.core.brush._push_kernels import push_reach
from ruvelt.core.brush.smear_arrays import Carrying, Laying, Limits, Load
from ruvelt.core.brush.tip_arrays import TipPictures
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import BLOCKS
from ruvelt.core.samples.blocks import slots_of
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
I64 = NDArray[np.int64]
#: Nodes across the carried picture: at least, and at most.
COARSE, FINE = 4, 24
#: Most spacing of its dabs, diameters: further apart each would show in what is carried.
MIX_SPACING = 0.07
#: Dabs taken together.
GROUP = 16
#: Blocks that are worth a thread.
SHARE = 20


def lasting(strength: NDArray[np.floating], travelled: NDArray[np.floating]) -> F32:
    """(n,) share of what is carried that is replaced by what is met on ways of `travelled` diameters.

    What is carried fades by a factor of e over strength / (1 − strength) diameters: never at full strength, over one at half.
    """
    with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
        rate = (1.0 - strength.astype(np.float64)) / strength.astype(np.float64)
        faded = -np.expm1(-rate * np.maximum(travelled.astype(np.float64), 0.0))
    return np.where(strength <= 0, 1.0, np.nan_to_num(faded)).astype(np.float32)


def _lay_rest(settings: tuple[object, ...], blocks: I32) -> None:
    kernels.smear_rest(blocks, *settings)


class Smear:
    """The paint one stroke carries and has laid, for all its cells. Values are four side by side, as `side_by_side` gives them.

    laid : (cells, spots, 4) float32 paint, 0–1, times how far it covers a sample, which is the stroke's coverage; block after block
    """

    def __init__(self, samples: SurfaceSamples, workers: Workers, cells: int, wetness: float) -> None:
        self._samples, self._workers, self._cells, self._wetness = samples, workers, cells, wetness
        grid = samples.grid
        #: By cell of the grid the batch that met it last.
        self._seen, self._turn = np.zeros(len(grid.start) - 1, np.int32), 0
        self._balls = np.full((samples.chunk_count * BLOCKS, 4), -1, np.float32)
        self.laid = np.zeros((cells, samples.slot_count, 4), np.float32)
        self._nodes = 0

    def restart(self) -> None:
        self.laid = np.zeros_like(self.laid)
        self._nodes = 0

    def _begin(self, radius: float, copies: int, extent: float) -> None:
        """Size the carried picture by the stroke's first dab, so that batches make no difference."""
        across = 2.0 * extent * radius
        self._nodes = int(np.clip(round(across) + 1, COARSE, FINE))
        self._extent = extent
        # A texel in each node's square, at least.
        self._stride = int(2 ** np.clip(np.floor(np.log2(max(across / self._nodes, 1.0))), 0, 4)) if self._samples.is_sheet else 1
        n = self._nodes**2
        self._carried = np.zeros((copies, self._cells, n, 4), np.float32)
        self._known, self._last = np.zeros((copies, n), np.float32), np.zeros((copies, 10), np.float32)
        self._past, self._past_known = np.empty((GROUP, self._cells, n, 4), np.float32), np.empty((GROUP, n), np.float32)
        room = np.empty((2, self._cells, n, 4), np.float32)
        self._room = (room[0], room[1], np.empty(n, np.float32), np.empty(n, np.float32))

    def lay(
        self,
        dabs: F32,
        copy: I64,
        copies: int,
        flat: bool,
        tip: TipPictures,
        allowed: NDArray[np.uint8],
        pictures: Callable[[NDArray[np.int64]], I64],
        confined: Callable[[NDArray[np.int64]], I64] | None,
        coverage: F32,
        dirty: NDArray[np.uint8],
    ) -> None:
        """Lay (n, WIDTH) dabs, object space or, `flat`, texels of the sheet.

        copy : (n,) which of `copies` mirrored ones a dab is; pictures : gives (cells, chunks) addresses of what is there, (65536, 4) uint16
        confined : gives (chunks,) addresses of (65536,) uint16 that say how far samples may change
        """
        samples = self._samples
        spacing = 1.0 if flat else samples.spacing
        if not self._nodes:
            # A picture has corners.
            self._begin(float(dabs[0, dab.RADIUS]) / spacing, copies, float(np.sqrt(2)) if tip.pictures.shape[1] > 1 else 1.1)
        dabs = np.array(dabs, np.float32, order="C")
        frames, travelled = np.empty((len(dabs), 6), np.float32), np.empty(len(dabs), np.float32)
        kernels.carry_frames(dabs, copy, self._last, frames, travelled)
        fades = lasting(dabs[:, dab.CAP], travelled)
        reached = dabs.copy()
        reached[:, dab.RADIUS] = np.maximum(dabs[:, dab.RADIUS], 0.75 * spacing) * self._extent
        marks = np.zeros((samples.chunk_count, BLOCKS), np.uint8)
        self._turn += 1
        push_reach(reached, flat, samples.arrays, self._seen, self._turn, marks)
        blocks = np.flatnonzero(marks.view(np.bool_)).astype(np.int32)
        kernels.block_balls(blocks[self._balls[blocks, 3] < 0], flat, samples.arrays, self._balls)
        chunks = np.unique(blocks >> 8).astype(np.int64)
        there = pictures(chunks)
        limits = Limits(allowed, confined(chunks) if confined is not None else np.zeros(0, np.int64))
        under = Laying(there, self._past, self._past_known, self.laid, coverage, dirty)
        parts = np.array_split(blocks, max(1, min(len(blocks) // SHARE, 2 * self._workers.threads)))
        for first in range(0, len(dabs), GROUP):
            group = slice(first, first + GROUP)
            brush = Carrying(dabs[group], frames[group], self._nodes, self._extent, self._stride)
            load = Load(copy[group], fades[group], self._wetness, self._carried, self._known, *self._room)
            settings = (self._balls, flat, samples.arrays, brush, tip, limits, under)
            kernels.smear_known(blocks, *settings, load)
            if self._stride > 1:
                self._workers.map(partial(_lay_rest, settings), parts)

    def values_u16(self, cell: int, chunk: int, blocks: I32, multiplied: bool, coverage: F32, out: U16) -> None:
        """out (components, 65536) = paint laid on blocks of a chunk; `multiplied` : by alpha, the last, which is taken out of it."""
        slots = slots_of(blocks, self._samples.face, self._samples.is_sheet, chunk)
        kernels.smear_values(slots, self._samples.is_sheet, self.laid[cell], coverage, len(out), multiplied, out)
