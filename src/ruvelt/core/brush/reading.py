"""Tools that read the surface before they write: soften, clone and tone. What they read is as it was before the stroke."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import _tool_kernels as _tools
from ruvelt.core.brush._tool_kernels import chunks_near, neighbour_means
from ruvelt.core.brush.settings import Mirror
from ruvelt.core.brush.target import Cell, Paint
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.chunks import CHUNK, TILES
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.mask_evaluate import Runs

F32 = NDArray[np.float32]


TONES = {
    "lighten": _tools.LIGHTEN,
    "darken": _tools.DARKEN,
    "contrast": _tools.CONTRAST,
    "saturate": _tools.SATURATE,
    "desaturate": _tools.DESATURATE,
    "hue": _tools.HUE,
    "tint": _tools.TINT,
}
SPANS = {"all": _tools.ALL, "shadows": _tools.SHADOWS, "midtones": _tools.MIDTONES, "highlights": _tools.HIGHLIGHTS}


class Reader:
    """Values that a reading stroke lays, worked out once for each tile it comes to.

    With `own` they are what the target itself holds, alpha last; else what its channel looks like, without.
    """

    def __init__(self, evaluator: SheetEvaluator, planes: PlaneLookup, paint: Paint) -> None:
        self._evaluator, self._planes, self._samples, self._paint = evaluator, planes, evaluator.samples, paint
        self._looks: dict[tuple[str, int], U16] = {}
        self._values: dict[tuple[str, int], U16] = {}
        self._done: dict[tuple[str, int], NDArray[np.bool_]] = {}
        self._start: NDArray[np.float64] | None = None
        self._radius = 0.0
        self._mirrored = np.zeros(3, bool)

    def own(self, cell: Cell) -> bool:
        """Whether values of a cell carry an alpha of their own. A mask's source always is all of what it holds."""
        return self._paint.reads == "layer" and cell.source is None

    def begin(self, centre: F32, radius: float, mirror: Mirror | None) -> None:
        """Take note of the stroke's first dab, object space. Only that one counts, so that batches make no difference."""
        if self._start is None:
            self._start, self._radius = np.asarray(centre, np.float64), float(radius)
            if mirror is not None:
                self._mirrored = np.array([mirror.x, mirror.y, mirror.z])

    def values(self, cell: Cell, chunk: int, tiles: NDArray[np.uint8], runs: Runs) -> U16:
        """(components, 65536) uint16, with `own` alpha last, right on the given tiles."""
        key = (cell.plane, chunk)
        if key not in self._values:
            self._values[key] = empty_chunk(cell.components if self.own(cell) else cell.components - 1)
            self._done[key] = np.zeros(TILES, bool)
        new = tiles.astype(bool) & ~self._done[key]
        if new.any():
            slots = self._covered(chunk, new, runs)
            if len(slots):
                {"soften": self._soften, "clone": self._clone, "tone": self._tone}[self._paint.tool](cell, slots, self._values[key])
            self._done[key] |= new
        return self._values[key]

    def _covered(self, chunk: int, new: NDArray[np.bool_], runs: Runs) -> NDArray[np.int32]:
        local = np.concatenate([np.arange(s, s + n, dtype=np.int32) for s, n in zip(*runs, strict=True)])
        tile = ((local >> 12) << 4) | ((local & 255) >> 4) if self._samples.square else local >> 8
        slots: NDArray[np.int32] = (local[new[tile]] + chunk * CHUNK).astype(np.int32)
        return np.ascontiguousarray(slots[self._samples.covered[slots]])

    def _look(self, cell: Cell, chunk: int) -> U16:
        """What a cell reads in a chunk."""
        key = (cell.plane, chunk)
        if key not in self._looks:
            self._looks[key] = self._read(cell, chunk)
        return self._looks[key]

    def _read(self, cell: Cell, chunk: int) -> U16:
        if cell.channel is not None and not self.own(cell):
            return self._evaluator.composite(cell.channel, chunk)
        held = self._planes.key(cell.plane, chunk) is not None
        plane = self._planes.values(cell.plane, chunk) if held else empty_chunk(cell.components)
        alpha = plane[-1] / np.float32(65535)
        if cell.source is not None:
            shown: U16 = np.rint(cell.base + (plane[:1].astype(np.float32) - cell.base) * alpha).astype(np.uint16)
            return shown
        if self._paint.tool != "soften":
            return plane
        # Means of colours that cover differently are means of colour times coverage.
        return np.ascontiguousarray(np.concatenate([np.rint(plane[:-1] * alpha).astype(np.uint16), plane[-1:]]))

    def _divide(self, cell: Cell, slots: NDArray[np.int32], out: U16) -> None:
        """Take alpha out of the colours again."""
        if self.own(cell):
            at = slots & 65535
            alpha = np.maximum(out[-1, at].astype(np.float32), 1) / np.float32(65535)
            out[:-1, at] = np.minimum(np.rint(out[:-1, at] / alpha), 65535).astype(np.uint16)

    def _tone(self, cell: Cell, slots: NDArray[np.int32], out: U16) -> None:
        tone, chunk = self._paint.tone, int(slots[0]) >> 16
        look = self._look(cell, chunk)
        comps = cell.components - 1
        if self.own(cell):
            out[-1, slots & 65535] = look[-1, slots & 65535]
        kernel_args = (TONES[tone.change], SPANS[tone.range], tone.amount, tone.degrees / 360, np.array(tone.colour, np.float32))
        _tools.tone_values(slots, look.ctypes.data, comps, *kernel_args, out)

    def _soften(self, cell: Cell, slots: NDArray[np.int32], out: U16) -> None:
        grid, samples = self._samples.grid, self._samples
        # Never narrower than a few samples, or a small brush would soften nothing.
        radius = max(self._radius * self._paint.reach, 2.5 * samples.spacing)
        marks = np.zeros(samples.chunk_count, np.uint8)
        places = np.ascontiguousarray(samples.positions[slots[:: max(1, len(slots) // 256)]])
        chunks_near(places, np.full(len(places), 3 * radius, np.float32), grid.low, grid.cell, grid.dims, grid.start, grid.slot, marks)
        marks[slots >> 16] = 1
        pictures = np.zeros(samples.chunk_count, np.int64)
        for chunk in np.flatnonzero(marks):
            pictures[chunk] = self._look(cell, int(chunk)).ctypes.data
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
        self._divide(cell, slots, out)

    def _clone(self, cell: Cell, slots: NDArray[np.int32], out: U16) -> None:
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
            out[:, slots[mine] & 65535] = self._look(cell, int(chunk))[:, found[mine] & 65535]
