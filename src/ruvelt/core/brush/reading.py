"""Tools that read the surface before they write: soften, smear, clone, tone and blending. What they read is as it was before the stroke."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import _tool_kernels as _tools
from ruvelt.core.brush._near_kernels import (
    clone_slots,
    clone_tiles,
    divide_alpha,
    fetch_codes,
    fill_clumps,
    multiply_alpha,
    smear_codes,
    soften_codes,
    soften_tiles,
)
from ruvelt.core.brush._tool_kernels import chunks_near, few_slots, new_slots
from ruvelt.core.brush.clumps import Clumps, clumps_of
from ruvelt.core.brush.settings import Mirror
from ruvelt.core.brush.smear import Smear
from ruvelt.core.brush.target import Cell, Paint
from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.chunks import CHUNK, TILES
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack._blend_kernels import CONST, PLANE, evaluate_runs
from ruvelt.core.stack.blend import mode_code
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.mask_evaluate import Runs

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]

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
_NO_STATE = np.zeros((1, 1, 0), np.float32)


class Reader:
    """Values that a reading stroke lays, worked out once for each tile it comes to (smear: anew with each batch).

    With `own` they are what the target itself holds, alpha last; else what its channel looks like, without.
    """

    def __init__(self, evaluator: SheetEvaluator, planes: PlaneLookup, paint: Paint, smear: Smear | None) -> None:
        self._evaluator, self._planes, self._samples, self._paint = evaluator, planes, evaluator.samples, paint
        self._smear = smear
        self._looks: dict[tuple[str, int], U16] = {}
        self._values: dict[tuple[str, int], U16] = {}
        self._done: dict[tuple[str, int], NDArray[np.uint8]] = {}
        self._start: NDArray[np.float64] | None = None
        self._radius = 0.0
        self._mirrored = np.zeros(3, np.float32)
        self._clumps: Clumps | None = None
        #: By plane: cells whose chunks were read, cells whose clumps have values, and those.
        self._means: dict[str, tuple[NDArray[np.uint8], NDArray[np.uint8], F32]] = {}

    @property
    def slow(self) -> bool:
        """Whether chunks are worth a thread each."""
        return self._paint.tool in ("soften", "smear", "clone")

    def own(self, cell: Cell) -> bool:
        """Whether values of a cell carry an alpha of their own. A mask's source always is all of what it holds."""
        return self._paint.reads == "layer" and cell.source is None

    def begin(self, centre: F32, radius: float, mirror: Mirror | None) -> None:
        """Take note of the stroke's first dab, object space. Only that one counts, so that batches make no difference."""
        if self._start is None:
            self._start, self._radius = np.asarray(centre, np.float64), float(radius)
            if mirror is not None:
                self._mirrored = np.array([mirror.x, mirror.y, mirror.z], np.float32)

    def prepare(self, cells: tuple[Cell, ...], touched: dict[int, NDArray[np.uint8]]) -> None:
        """Read what more than one chunk of a batch will ask for, before they are made side by side."""
        if self._paint.tool != "soften" or not touched:
            return
        clumps, samples = self._ready_clumps(), self._samples
        for cell in cells:
            slots = []
            for chunk, marked in touched.items():
                key = (cell.plane, chunk)
                tiles = marked if key not in self._done else np.asarray(marked & ~self._done[key], np.uint8)
                few = np.empty(4 * TILES, np.int32)
                slots.append(few[: few_slots(tiles, samples.face, samples.square, chunk, few)])
            mine = np.concatenate(slots)
            if not len(mine):
                continue
            if cell.plane not in self._means:
                cells_of_grid = int(np.prod(samples.grid.dims.astype(np.int64)))
                fresh = np.zeros(cells_of_grid, np.uint8), np.zeros(cells_of_grid, np.uint8)
                self._means[cell.plane] = (*fresh, np.zeros((4, len(clumps.mass)), np.float32))
            seen, done, values = self._means[cell.plane]
            grid = samples.grid
            comps = cell.components if self.own(cell) else cell.components - 1
            # One sample in eight by eight finds every cell that the others reach.
            reach = self._soft_radius + grid.cell + 12 * samples.spacing
            marks = np.zeros(samples.chunk_count, np.uint8)
            chunks_near(mine, samples.positions, reach, grid.low, grid.cell, grid.dims, grid.start, grid.slot, seen, marks)
            fill_clumps(
                mine, samples.positions, reach, grid.low, grid.cell, grid.dims, grid.slot,
                clumps.start, clumps.first, samples.grid_areas, self._pictures(cell, np.flatnonzero(marks)), comps, done, values,
            )  # fmt: skip

    def values(self, cell: Cell, chunk: int, tiles: NDArray[np.uint8], runs: Runs) -> U16:
        """(components, 65536) uint16, with `own` alpha last, right on the given tiles."""
        key = (cell.plane, chunk)
        if key not in self._values:
            self._values[key] = empty_chunk(cell.components if self.own(cell) else cell.components - 1)
            self._done[key] = np.zeros(TILES, np.uint8)
        new = tiles if self._paint.tool == "smear" else np.asarray(tiles & ~self._done[key], np.uint8)
        if new.any():
            out = self._values[key]
            slots = self._covered(chunk, new, runs)
            if len(slots):
                match self._paint.tool:
                    case "soften":
                        self._soften(cell, chunk, new, slots, out)
                    case "smear":
                        self._smeared(cell, chunk, runs, out)
                    case "clone":
                        self._clone(cell, chunk, new, slots, out)
                    case "tone":
                        self._tone(cell, slots, out)
                    case "paint":
                        self._blend(cell, chunk, runs, out)
            self._done[key] |= new
        return self._values[key]

    def _covered(self, chunk: int, tiles: NDArray[np.uint8], runs: Runs) -> I32:
        slots = np.empty(int(runs[1].sum()), np.int32)
        count = new_slots(runs[0], runs[1], np.ascontiguousarray(tiles), self._samples.face, self._samples.square, chunk, slots)
        return slots[:count]

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
        if cell.source is None and self._paint.tool not in ("soften", "smear"):
            return plane
        if cell.source is not None:
            alpha = plane[-1] / np.float32(65535)
            shown: U16 = np.rint(cell.base + (plane[:1].astype(np.float32) - cell.base) * alpha).astype(np.uint16)
            return shown
        # Means of colours that cover differently are means of colour times coverage.
        multiplied = np.empty_like(plane)
        multiply_alpha(plane.ctypes.data, cell.components - 1, multiplied)
        return multiplied

    def _divide(self, cell: Cell, slots: I32, out: U16) -> None:
        """Take alpha out of the colours again."""
        if self.own(cell):
            divide_alpha(slots, len(out) - 1, out)

    def _pictures(self, cell: Cell, chunks: NDArray[np.int64]) -> NDArray[np.int64]:
        """(chunks,) addresses of what a cell reads in some chunks, 0 for the others."""
        pictures = np.zeros(self._samples.chunk_count, np.int64)
        for chunk in chunks:
            pictures[chunk] = self._look(cell, int(chunk)).ctypes.data
        return pictures

    # -- tone and blending ------------------------------------------------------------------------------------------------------

    def _tone(self, cell: Cell, slots: I32, out: U16) -> None:
        tone, chunk = self._paint.tone, int(slots[0]) >> 16
        look = self._look(cell, chunk)
        if self.own(cell):
            out[-1] = look[-1]
        settings = (TONES[tone.change], SPANS[tone.range], tone.amount, tone.degrees / 360, np.array(tone.colour, np.float32))
        _tools.tone_values(slots, look.ctypes.data, cell.components - 1, *settings, out)

    def _blend(self, cell: Cell, chunk: int, runs: Runs, out: U16) -> None:
        """What the paint's blend mode makes of what is there and the laid value."""
        look, comps = self._look(cell, chunk), cell.components - 1
        channel = self._evaluator.channel(cell.channel) if cell.channel is not None else None
        mode = mode_code(self._paint.blend, channel) if channel is not None else 0
        linear = channel is not None and self._evaluator.program(channel.id).linear
        under = np.empty((comps + 1, CHUNK), np.uint16)
        under[:-1], under[-1] = look[:comps], 65535
        value = cell.codes.astype(np.float32) / np.float32(65535)
        if linear:
            value = DECODE_U16[cell.codes]
        evaluate_runs(
            np.array([CONST, PLANE, CONST], np.int8),
            np.array([0, 0, mode], np.int32),
            np.ones(3, np.float32),
            np.array([0, under.ctypes.data, 0], np.int64),
            np.zeros(3, np.int64),
            np.stack([value * 0, value * 0, value]).astype(np.float32),
            comps, 1, linear, DECODE_U16, runs[0], runs[1], 0, _NO_STATE, False, _NO_STATE, out.ctypes.data,
        )  # fmt: skip
        if self.own(cell):
            out[-1] = look[-1]

    # -- soften -----------------------------------------------------------------------------------------------------------------

    @property
    def _soft_radius(self) -> float:
        # Never narrower than a few samples, or a small brush would soften nothing.
        return max(self._radius * self._paint.reach, 2.5 * self._samples.spacing)

    def _ready_clumps(self) -> Clumps:
        if self._clumps is None:
            self._clumps = clumps_of(self._samples, self._soft_radius)
        return self._clumps

    def _soften(self, cell: Cell, chunk: int, tiles: NDArray[np.uint8], slots: I32, out: U16) -> None:
        grid, samples, clumps = self._samples.grid, self._samples, self._ready_clumps()
        _, _, values = self._means[cell.plane]
        pictures = self._pictures(cell, np.array([chunk]))
        around = (
            self._soft_radius, grid.low, grid.cell, grid.dims, clumps.start, clumps.middle, clumps.facing, clumps.mass,
            values, pictures, len(out), out,
        )  # fmt: skip
        step = next((n for n in (4, 2) if self._soft_radius >= 3 * n * samples.spacing), 1)
        if step > 1 and self._side:
            marked = np.ascontiguousarray(tiles)
            soften_tiles(marked, chunk, step, self._side, samples.face, samples.positions, samples.normals, *around)
        else:
            soften_codes(slots, samples.positions, samples.normals, *around)
        self._divide(cell, slots, out)

    # -- clone and smear --------------------------------------------------------------------------------------------------------

    @property
    def _side(self) -> int:
        return self._samples.side if isinstance(self._samples, SheetSamples) else 0

    def _clone(self, cell: Cell, chunk: int, tiles: NDArray[np.uint8], slots: I32, out: U16) -> None:
        clone, start, samples, grid = self._paint.clone, self._start, self._samples, self._samples.grid
        assert clone is not None
        assert start is not None
        offset = np.asarray(clone.source, np.float64) - np.asarray(clone.anchor if clone.anchor is not None else start, np.float64)
        reach = max(self._radius, 8 * samples.spacing)
        place = (offset.astype(np.float32), start.astype(np.float32), self._mirrored, reach)
        space = (grid.low, grid.cell, grid.dims, grid.start, grid.slot, grid.xyz)
        if self._side:
            whole = np.empty(CHUNK, np.int32)
            clone_tiles(np.ascontiguousarray(tiles), chunk, self._side, samples.positions, samples.face, *place, *space, whole)
            found = whole[slots & 65535]
        else:
            found = np.empty(len(slots), np.int32)
            clone_slots(slots, samples.positions, samples.face, 0, *place, *space, found)
        fetch_codes(slots, found, self._pictures(cell, _chunks_of(found, samples.chunk_count)), len(out), out)

    def _smeared(self, cell: Cell, chunk: int, runs: Runs, out: U16) -> None:
        smear, samples = self._smear, self._samples
        assert smear is not None
        mine = self._covered(chunk, np.ones(TILES, np.uint8), runs)
        fresh = mine[smear.fresh[mine] > 0]
        sources = smear.source[fresh]
        chunks = _chunks_of(sources[sources > 0] - 1, samples.chunk_count)
        if isinstance(samples, SheetSamples):
            chunks = _and_beside(chunks, samples.chunks_across)
        pictures = self._pictures(cell, chunks)
        smear_codes(
            runs[0], runs[1], smear.fresh, chunk, smear.flat, samples.positions, samples.face, self._side, smear.shift, smear.source, pictures,
            len(out), out,
        )  # fmt: skip
        self._divide(cell, fresh, out)


def _chunks_of(slots: I32, count: int) -> NDArray[np.int64]:
    marks = np.zeros(count, bool)
    marks[slots >> 16] = True
    return np.flatnonzero(marks)


def _and_beside(chunks: NDArray[np.int64], across: int) -> NDArray[np.int64]:
    """Chunks and their eight neighbours on the sheet."""
    x, y = chunks % across, chunks // across
    found = {(int(a) + i, int(b) + j) for a, b in zip(x, y, strict=True) for i in (-1, 0, 1) for j in (-1, 0, 1)}
    return np.array(sorted(b * across + a for a, b in found if 0 <= a < across and 0 <= b < across), np.int64)
