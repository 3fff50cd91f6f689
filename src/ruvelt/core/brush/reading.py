"""Tools that read the surface before they write: soften, smear, clone, tone and blending. What they read is as it was before the stroke."""

from __future__ import annotations

from threading import Lock
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._push_kernels import DEEP, side_by_side
from ruvelt.core.brush._tool_kernels import multiply_alpha
from ruvelt.core.brush.hand_tools import hand_tools
from ruvelt.core.brush.parts import Part, map_blocks
from ruvelt.core.brush.push import Push
from ruvelt.core.brush.settings import Mirror
from ruvelt.core.brush.smear import Smear
from ruvelt.core.brush.target import Cell, Paint
from ruvelt.core.color.encoding import DECODE_U16, ENCODED_CODES, LINEAR_CODES
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.address import BLOCKS, CHUNK
from ruvelt.core.samples.blocks import Runs, runs_of, slots_of
from ruvelt.core.stack._blend_kernels import CONST, PLANE, evaluate_runs
from ruvelt.core.stack.blend import NORMAL, code_of, loop_of, mode_for
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stack.step_arrays import StepArrays
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]

_NO_STATE = np.zeros((1, 1, 0), np.float32)


class Reader:
    """Values that a reading stroke lays, worked out once for each block it comes to (smear: anew with each batch).

    With `own` they are what the target itself holds, alpha last; else what its channel looks like, without.
    """

    def __init__(
        self,
        evaluator: SheetEvaluator,
        planes: PlaneLookup,
        paint: Paint,
        push: Push | None,
        smear: Smear | None,
        coverage: F32,
        workers: Workers,
    ) -> None:
        self._evaluator, self._planes, self.samples, self.paint = evaluator, planes, evaluator.samples, paint
        self.push, self.smear, self.coverage, self.workers = push, smear, coverage, workers
        self._looks: dict[tuple[str, int], U16] = {}
        self._composites: dict[tuple[str, int], U16] = {}
        #: Their addresses, by plane (chunks,), and what keeps two threads from reading the same.
        self._places: dict[str, NDArray[np.int64]] = {}
        self._reading = Lock()
        self._values: dict[tuple[str, int], U16] = {}
        self._done: dict[tuple[str, int], NDArray[np.uint8]] = {}
        #: What is laid depends on how far it is laid, and is made anew with each batch.
        self._tool = hand_tools()[paint.tool] if paint.tool != "paint" else None
        self._follows = self._tool is not None and self._tool.follows(paint)
        self._begun, self.radius = False, 0.0
        #: Where clone reads: what its kernels ask, in their order.
        self.source: tuple[object, ...] = ()
        #: What the tool keeps for the length of the stroke.
        self.kept: dict[str, Any] = {}
        #: What is there as a plane that covers fully.
        self._under: dict[tuple[str, int], U16] = {}

    def own(self, cell: Cell) -> bool:
        """Whether values of a cell carry an alpha of their own. A mask's source always is all of what it holds."""
        return self.paint.reads == "layer" and cell.source is None

    def begin(self, centre: F32, radius: float, mirror: Mirror | None) -> None:
        """Take note of the stroke's first dab, object space. Only that one counts, so that batches make no difference."""
        if self._begun:
            return
        self._begun, self.radius = True, float(radius)
        clone, grid = self.paint.clone, self.samples.grid
        if clone is not None:
            offset = np.asarray(clone.source, np.float64) - np.asarray(clone.anchor if clone.anchor is not None else centre, np.float64)
            planes = np.zeros(3) if mirror is None else np.array([mirror.x, mirror.y, mirror.z])
            place = (
                offset.astype(np.float32),
                np.asarray(centre, np.float32),
                planes.astype(np.float32),
                max(self.radius, 8 * self.samples.spacing),
            )
            self.source = (*place, grid)

    def values(self, cell: Cell, chunk: int) -> U16:
        """(components, 65536) uint16, with `own` alpha last, right on the blocks that were prepared."""
        return self._values[cell.plane, chunk]

    def composite(self, channel: str, chunk: int) -> U16:
        """(components, 65536) uint16: a channel as it was when the stroke began. Read only."""
        if (channel, chunk) not in self._composites:
            self._composites[channel, chunk] = self._evaluator.composite(channel, chunk)
        return self._composites[channel, chunk]

    def prepare(self, cells: tuple[Cell, ...], touched: dict[int, NDArray[np.uint8]]) -> None:
        """Work out the values of cells on blocks: by chunk (256,) uint8."""
        self._cells = [cell.plane for cell in cells]
        for cell in cells:
            parts = []
            for chunk, marked in touched.items():
                key = (cell.plane, chunk)
                if key not in self._values:
                    self._values[key] = empty_chunk(cell.components if self.own(cell) else cell.components - 1)
                    self._done[key] = np.zeros(BLOCKS, np.uint8)
                new = marked if self._follows else marked & ~self._done[key]
                self._done[key] |= marked
                if new.any():
                    parts.append(Part(cell, chunk, np.flatnonzero(new).astype(np.int32), self._values[key]))
            if parts:
                self._make(cell, parts)

    def _make(self, cell: Cell, parts: list[Part]) -> None:
        self._lay(cell, parts)
        if self._as_light(cell):
            for part in parts:
                local = self.slots(part) & 65535
                colours = part.out[: cell.components - 1]
                colours[:, local] = ENCODED_CODES[colours[:, local]]

    def _as_light(self, cell: Cell) -> bool:
        """Whether means are taken of linear codes."""
        return self._means() and self.linear(cell)

    def _means(self) -> bool:
        return self._tool is not None and self._tool.means(self)

    def linear(self, cell: Cell) -> bool:
        """Whether a cell's values are mixed as light."""
        return cell.channel is not None and self._evaluator.linear(cell.channel)

    def place_of(self, cell: Cell) -> int:
        """Which of the stroke's cells it is."""
        return self._cells.index(cell.plane)

    def _lay(self, cell: Cell, parts: list[Part]) -> None:
        if self._tool is not None:
            self._tool.make(self, cell, parts)
        else:
            map_blocks(self.workers, self._blend, parts)

    def look(self, cell: Cell, chunk: int) -> U16:
        """What a cell reads in a chunk: (components, 65536) uint16, or (65536, 4) for what lies between texels."""
        key = (cell.plane, chunk)
        if key not in self._looks:
            self._looks[key] = self._read(cell, chunk)
        return self._looks[key]

    def _read(self, cell: Cell, chunk: int) -> U16:
        plane = self._plane(cell, chunk)
        if self._as_light(cell):
            plane = plane.copy()
            plane[: cell.components - 1] = LINEAR_CODES[plane[: cell.components - 1]]
        if self.smear is not None or (self.push is not None and self.push.between):
            beside = np.empty((CHUNK, DEEP), np.uint16)
            side_by_side(address_of(plane), len(plane), self.multiplies(cell), beside)
            return beside
        if not self.multiplies(cell):
            return plane
        multiplied = np.empty_like(plane)
        multiply_alpha(address_of(plane), cell.components - 1, multiplied)
        return multiplied

    def _plane(self, cell: Cell, chunk: int) -> U16:
        """(components, 65536) uint16, with `own` alpha last."""
        if cell.channel is not None and not self.own(cell):
            return self.composite(cell.channel, chunk)
        held = self._planes.key(cell.plane, chunk) is not None
        plane = self._planes.values(cell.plane, chunk) if held else empty_chunk(cell.components)
        if cell.source is not None:
            alpha = plane[-1] / np.float32(65535)
            shown: U16 = np.rint(cell.base + (plane[:1].astype(np.float32) - cell.base) * alpha).astype(np.uint16)
            return shown
        return plane

    def multiplies(self, cell: Cell) -> bool:
        """Whether means are taken: of colours that cover differently they are means of colour times coverage."""
        return self.own(cell) and self._means()

    def pictures(self, cell: Cell, chunks: NDArray[np.int64]) -> NDArray[np.int64]:
        """(chunks,) addresses of what a cell reads in some chunks and all that were asked before, 0 for the others."""
        with self._reading:
            if cell.plane not in self._places:
                self._places[cell.plane] = np.zeros(self.samples.chunk_count, np.int64)
            places = self._places[cell.plane]
            for chunk in chunks:
                if not places[chunk]:
                    places[chunk] = address_of(self.look(cell, int(chunk)))
        return places

    def slots(self, part: Part) -> I32:
        return slots_of(part.blocks, self.samples.face, self.samples.is_sheet, part.chunk)

    # -- blending ---------------------------------------------------------------------------------------------------------------

    def runs(self, part: Part) -> Runs:
        marks = np.zeros(BLOCKS, np.uint8)
        marks[part.blocks] = 1
        return runs_of(marks, self.samples.is_sheet)

    def _blend(self, part: Part) -> None:
        """What the paint's blend mode makes of what is there and the laid value."""
        cell, out = part.cell, part.out
        look, comps = self.look(cell, part.chunk), cell.components - 1
        channel = self._evaluator.channel(cell.channel) if cell.channel is not None else None
        mode = mode_for(self.paint.blend, channel) if channel is not None else NORMAL
        linear = channel is not None and self._evaluator.linear(channel.id)
        runs = self.runs(part)
        under = self._under.get((cell.plane, part.chunk))
        if under is None:
            under = np.empty((comps + 1, CHUNK), np.uint16)
            under[:-1], under[-1] = look[:comps], 65535
            # Known to other threads only once it is whole.
            self._under[cell.plane, part.chunk] = under
        value = cell.values_u16.astype(np.float32) / np.float32(65535)
        if linear:
            value = DECODE_U16[cell.values_u16]
        steps = StepArrays(
            np.array([CONST, PLANE, CONST], np.int8),
            np.array([0, 0, code_of(mode)], np.int32),
            np.array([0, 0, loop_of(mode)], np.int64),
            np.ones(3, np.float32),
            np.array([0, address_of(under), 0], np.int64),
            np.zeros(3, np.int64),
            np.stack([value * 0, value * 0, value]).astype(np.float32),
        )
        evaluate_runs(steps, comps, 1, linear, DECODE_U16, runs, 0, _NO_STATE, False, _NO_STATE, address_of(out))
        if self.own(cell):
            local = self.slots(part) & 65535
            out[-1, local] = look[-1, local]
