"""Push: each sample keeps where its picture came from, so that however long the drag, it is read once and never blurs."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import _push_kernels as kernels
from ruvelt.core.brush import dab
from ruvelt.core.brush._clone_kernels import fetch_values
from ruvelt.core.brush.tip_arrays import TipPictures
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.address import BLOCKS, chunk_of
from ruvelt.core.samples.blocks import slots_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
#: Most spacing of its dabs, diameters: further apart they would leave steps.
PUSH_SPACING = 0.12
#: Blocks that are worth a thread.
SHARE = 60
#: Radius in texels from which a dab bends slowly enough to be traced between nodes.
COARSE_FROM = 20.0
_NONE = np.zeros(0, np.int64)


class Push(ABC):
    """What one stroke has dragged so far. `between`: whether codes are means of several samples', whose values then lie side by side."""

    between: bool

    def __init__(self, samples: SurfaceSamples, workers: Workers) -> None:
        grid = samples.grid
        self.samples, self._workers = samples, workers
        self._before: F32 | None = None
        #: By cell of the grid the batch that met it last.
        self._seen = np.zeros(len(grid.start) - 1, np.int32)
        self._turn = 0

    def restart(self) -> None:
        self._clear()
        self._before = None

    def drag(
        self,
        dabs: F32,
        copy: NDArray[np.int64],
        copies: int,
        flat: bool,
        tip: TipPictures,
        allowed: NDArray[np.uint8],
        coverage: F32,
        dirty: NDArray[np.uint8],
    ) -> None:
        """Lay (n, WIDTH) dabs, rich ones with their tips and grain.

        copy : (n,) which of `copies` mirrored ones each dab is
        """
        samples = self.samples
        centres = dabs[:, : dab.RADIUS]
        if self._before is None:
            self._before = np.full((copies, 3), np.nan, np.float32)
        drags = np.zeros((len(dabs), 3), np.float32)
        for k in range(copies):
            mine = np.flatnonzero(copy == k)
            if len(mine):
                directions = np.diff(np.concatenate([self._before[k : k + 1], centres[mine]]), axis=0)
                drags[mine], self._before[k] = np.nan_to_num(directions), centres[mine[-1]]
        balls = np.array(dabs, np.float32, order="C")
        balls[:, dab.RADIUS] = np.maximum(balls[:, dab.RADIUS], 0.75 if flat else 0.6 * samples.spacing)
        marks = np.zeros((samples.chunk_count, BLOCKS), np.uint8)
        self._turn += 1
        reached = balls.copy()
        if len(tip.pictures):
            # A picture has corners.
            reached[:, dab.RADIUS] *= np.sqrt(2)
        kernels.push_reach(reached, flat, samples.arrays, self._seen, self._turn, marks)
        blocks = np.flatnonzero(marks.view(np.bool_)).astype(np.int32)
        parts = max(1, min(len(blocks) // SHARE, self._workers.threads))
        # All are traced by what was there before the batch; only then does it take its place.
        for take in self._workers.map(lambda part: self._trace(part, balls, drags, flat, tip, allowed), np.array_split(blocks, parts)):
            take(coverage, dirty)

    @abstractmethod
    def _clear(self) -> None: ...

    @abstractmethod
    def _trace(self, blocks: I32, balls: F32, drags: F32, flat: bool, tip: TipPictures, allowed: NDArray[np.uint8]) -> Any:
        """Trace samples of blocks (chunk · 256 + block); gives what puts them in their place, called with coverage and dirty blocks."""

    @abstractmethod
    def values_u16(self, chunk: int, blocks: I32, pictures: NDArray[np.int64], multiplied: bool, out: U16) -> NDArray[np.int64]:
        """Codes of samples of a chunk's blocks at their sources. `pictures`: (chunks,) addresses of (components, 65536) uint16, or with `between`
        of (65536, 4), 0 for those not read so far; their colours `multiplied` by alpha or not.

        Gives the chunks that are needed and were not there: then it is to be done anew once they are.
        """


class SheetPush(Push):
    """shift : (slots, 2) float32 from each texel to its source, in texels; exactly 0 where nothing was dragged."""

    between = True

    def __init__(self, samples: SheetSamples, workers: Workers) -> None:
        super().__init__(samples, workers)
        self._side = samples.side
        self.shift = np.zeros((samples.slot_count, 2), np.float32)
        self._balls = np.zeros((samples.chunk_count * BLOCKS, 4), np.float32)

    def _clear(self) -> None:
        self.shift = np.zeros_like(self.shift)

    def _trace(self, blocks: I32, balls: F32, drags: F32, flat: bool, tip: TipPictures, allowed: NDArray[np.uint8]) -> Any:
        samples = self.samples
        # Pictures bend too quickly; a tip of one texel is none.
        coarse = (
            tip.pictures.shape[1] <= 1
            and tip.grain.depth == 0
            and float(balls[:, dab.RADIUS].min()) >= COARSE_FROM * (1.0 if flat else samples.spacing)
        )
        moved = np.empty((len(blocks), BLOCKS, 2), np.float32)
        kernels.push_blocks(
            blocks, coarse, balls, drags, flat, tip, samples.arrays, allowed, np.empty(len(balls), np.int64), self._balls, self.shift, moved
        )
        return lambda coverage, dirty: kernels.push_take_blocks(blocks, moved, self.shift, coverage, dirty)

    def values_u16(self, chunk: int, blocks: I32, pictures: NDArray[np.int64], multiplied: bool, out: U16) -> NDArray[np.int64]:
        missing = np.zeros(len(pictures), np.uint8)
        place = (self.samples.face, self.samples.positions, self.samples.spacing)
        lacking = kernels.push_values(blocks, chunk, *place, self._side, self.shift, pictures, len(out), multiplied, missing, out)
        return np.flatnonzero(missing) if lacking else _NONE


class VertexPush(Push):
    """shift : (slots, 3) float32 from each vertex to its source, object space; source : (slots,) int32 the vertex there plus one, 0 for none."""

    between = False

    def __init__(self, samples: SurfaceSamples, workers: Workers) -> None:
        super().__init__(samples, workers)
        self._clear()

    def _clear(self) -> None:
        self.shift = np.zeros((self.samples.slot_count, 3), np.float32)
        self.source = np.zeros(self.samples.slot_count, np.int32)

    def _trace(self, blocks: I32, balls: F32, drags: F32, flat: bool, tip: TipPictures, allowed: NDArray[np.uint8]) -> Any:
        samples = self.samples
        moved, found = np.empty((len(blocks), BLOCKS, 3), np.float32), np.empty((len(blocks), BLOCKS), np.int32)
        kernels.push_vertices(
            blocks, balls, drags, tip, samples.arrays, allowed, np.empty(len(balls), np.int64), self.shift, self.source, moved, found
        )
        return lambda coverage, dirty: kernels.push_take_vertices(blocks, moved, found, samples.spacing, self.shift, self.source, coverage, dirty)

    def _from(self, slots: I32) -> I32:
        source = self.source[slots]
        return np.where(source > 0, source - 1, slots).astype(np.int32)

    def values_u16(self, chunk: int, blocks: I32, pictures: NDArray[np.int64], multiplied: bool, out: U16) -> NDArray[np.int64]:
        slots = slots_of(blocks, self.samples.face, False, chunk)
        source = self._from(slots)
        marks = np.zeros(len(pictures), bool)
        marks[chunk_of(source)] = True
        missing = np.flatnonzero(marks & (pictures == 0))
        if not len(missing):
            fetch_values(slots, source, pictures, len(out), out)
        return missing


def push_of(samples: SurfaceSamples, workers: Workers) -> Push:
    return SheetPush(samples, workers) if isinstance(samples, SheetSamples) else VertexPush(samples, workers)
