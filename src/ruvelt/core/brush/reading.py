"""Tools that read the surface before they write: soften and clone. What they read is the look from before the stroke."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._tool_kernels import chunks_near, neighbour_means
from ruvelt.core.brush.settings import Mirror
from ruvelt.core.brush.target import Paint
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.chunks import CHUNK, TILES
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.mask_evaluate import Runs

F32 = NDArray[np.float32]


class Reader:
    """Values that a reading stroke lays, worked out once for each tile it comes to."""

    def __init__(self, evaluator: SheetEvaluator, paint: Paint) -> None:
        self._evaluator, self._samples, self._paint = evaluator, evaluator.samples, paint
        self._looks: dict[tuple[str, int], U16] = {}
        self._values: dict[tuple[str, int], U16] = {}
        self._done: dict[tuple[str, int], NDArray[np.bool_]] = {}
        self._start: NDArray[np.float64] | None = None
        self._radius = 0.0
        self._mirrored = np.zeros(3, bool)

    def begin(self, centre: F32, radius: float, mirror: Mirror | None) -> None:
        """Take note of the stroke's first dab, object space. Only that one counts, so that batches make no difference."""
        if self._start is None:
            self._start, self._radius = np.asarray(centre, np.float64), float(radius)
            if mirror is not None:
                self._mirrored = np.array([mirror.x, mirror.y, mirror.z])

    def values(self, channel: str, chunk: int, tiles: NDArray[np.uint8], runs: Runs) -> U16:
        """(components, 65536) uint16, right on the given tiles."""
        key = (channel, chunk)
        if key not in self._values:
            found = self._evaluator.channel(channel)
            assert found is not None
            self._values[key], self._done[key] = empty_chunk(found.components), np.zeros(TILES, bool)
        new = tiles.astype(bool) & ~self._done[key]
        if new.any():
            slots = self._covered(chunk, new, runs)
            if len(slots):
                if self._paint.tool == "soften":
                    self._soften(channel, slots, self._values[key])
                else:
                    self._clone(channel, slots, self._values[key])
            self._done[key] |= new
        return self._values[key]

    def _covered(self, chunk: int, new: NDArray[np.bool_], runs: Runs) -> NDArray[np.int32]:
        local = np.concatenate([np.arange(s, s + n, dtype=np.int32) for s, n in zip(*runs, strict=True)])
        tile = ((local >> 12) << 4) | ((local & 255) >> 4) if self._samples.square else local >> 8
        slots: NDArray[np.int32] = (local[new[tile]] + chunk * CHUNK).astype(np.int32)
        return np.ascontiguousarray(slots[self._samples.covered[slots]])

    def _look(self, channel: str, chunk: int) -> U16:
        if (channel, chunk) not in self._looks:
            self._looks[channel, chunk] = self._evaluator.composite(channel, chunk)
        return self._looks[channel, chunk]

    def _soften(self, channel: str, slots: NDArray[np.int32], out: U16) -> None:
        grid, samples = self._samples.grid, self._samples
        # Never narrower than a few samples, or a small brush would soften nothing.
        radius = max(self._radius * self._paint.reach, 2.5 * samples.spacing)
        marks = np.zeros(samples.chunk_count, np.uint8)
        places = np.ascontiguousarray(samples.positions[slots[:: max(1, len(slots) // 256)]])
        chunks_near(places, np.full(len(places), 3 * radius, np.float32), grid.low, grid.cell, grid.dims, grid.start, grid.slot, marks)
        marks[slots >> 16] = 1
        pictures = np.zeros(samples.chunk_count, np.int64)
        for chunk in np.flatnonzero(marks):
            pictures[chunk] = self._look(channel, int(chunk)).ctypes.data
        neighbour_means(
            slots,
            samples.positions,
            samples.normals,
            radius,
            grid.low,
            grid.cell,
            grid.dims,
            grid.start,
            grid.slot,
            grid.xyz,
            grid.normal,
            samples.grid_areas,
            pictures,
            len(out),
            out,
        )

    def _clone(self, channel: str, slots: NDArray[np.int32], out: U16) -> None:
        clone, start, samples = self._paint.clone, self._start, self._samples
        assert clone is not None
        assert start is not None
        offset = np.asarray(clone.source, np.float64) - np.asarray(clone.anchor if clone.anchor is not None else start, np.float64)
        place = samples.positions[slots].astype(np.float64)
        # On the other side of a mirror plane than the stroke began, its twin is at work, with its source on that side too.
        flips = np.where(self._mirrored & (place * np.where(start == 0, 1.0, start) < 0), -1.0, 1.0)
        source = (place * flips + offset) * flips
        found = samples.grid.nearest(source, max(self._radius, 8 * samples.spacing))
        # Where the source leaves the surface, what is there stays.
        found = np.where(found >= 0, found, slots)
        for chunk in np.unique(found >> 16):
            mine = found >> 16 == chunk
            out[:, slots[mine] & 65535] = self._look(channel, int(chunk))[:, found[mine] & 65535]
