"""The planes that a stroke changes: what was there, mixed with what it lays by as much as it covers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._dab_kernels import paint_runs, toward_runs
from ruvelt.core.brush._rich_kernels import confined, mixed_values
from ruvelt.core.brush.confine import Confinement
from ruvelt.core.brush.reading import Reader
from ruvelt.core.brush.target import Cell, Paint, ResolvedTarget
from ruvelt.core.color.encoding import AS_CODES, AS_LIGHT
from ruvelt.core.planes.addresses import Addresses, address_of
from ruvelt.core.planes.plane import U16, empty_chunk
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.stack.evaluate import SheetEvaluator
from ruvelt.core.stack.lookup import PlaneLookup
from ruvelt.core.stroke.coverage import Coverage

F32 = NDArray[np.float32]


class PaintedPlanes:
    """The planes as they were when the stroke began stay the base of every batch, so that repeated dabs never round twice."""

    def __init__(
        self,
        target: ResolvedTarget,
        paint: Paint,
        coverage: Coverage,
        evaluator: SheetEvaluator,
        planes: PlaneLookup,
        reader: Reader | None,
        confinement: Confinement | None,
    ) -> None:
        """confinement : what holds back coverage once it is laid"""
        self._target, self._paint, self._coverage = target, paint, coverage
        self._evaluator, self._planes, self._reader, self._confinement = evaluator, planes, reader, confinement
        #: Changed planes: plane id → chunk → values.
        self.changes: dict[str, dict[int, U16]] = {cell.plane: {} for cell in target.cells}
        self._bases: dict[tuple[str, int], U16 | None] = {}
        self._confined: dict[int, F32] = {}
        self._mixed: dict[tuple[str, int], U16] = {}
        self._addresses = Addresses()

    @property
    def chunks(self) -> set[int]:
        return {chunk for chunks in self.changes.values() for chunk in chunks}

    def paint(self, chunk: int, runs: Runs) -> None:
        part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
        coverage, shares = self._coverage.values[part], self._coverage.shares[part]
        if self._confinement is not None:
            coverage = self._confine(self._confinement, chunk, runs, coverage)
        if self._paint.cover > 1:
            coverage = np.minimum(coverage * np.float32(self._paint.cover), np.float32(1))
        for cell in self._target.cells:
            base, out = self._working(cell.plane, cell.components, chunk)
            address = 0 if base is None else self._addresses.of((cell.plane, chunk), base)
            values, tables = 0, self._mixing(cell)
            if self._reader is not None:
                read = self._reader.values(cell, chunk)
                if self._reader.own(cell):
                    toward_runs(runs[0], runs[1], address, coverage, read, cell.components - 1, *tables, out)
                    continue
                values = address_of(read)
            elif len(self._coverage.marks):
                mixed = self._mix(cell, chunk, runs)
                values = address_of(mixed)
            paint_runs(runs[0], runs[1], address, coverage, shares, cell.values_u16, values, self._paint.erase, cell.components - 1, *tables, out)

    def _mixing(self, cell: Cell) -> tuple[F32, NDArray[np.uint16]]:
        """How a cell's codes are mixed: colours as light where the project blends so."""
        linear = cell.channel is not None and self._evaluator.linear(cell.channel)
        return (AS_LIGHT if linear else AS_CODES).tables

    def _confine(self, confinement: Confinement, chunk: int, runs: Runs, coverage: F32) -> F32:
        """Coverage of a chunk as far as the confinement lets it through."""
        if chunk not in self._confined:
            self._confined[chunk] = np.zeros(CHUNK, np.float32)
        confined(runs[0], runs[1], coverage, confinement.weights(chunk), self._confined[chunk])
        return self._confined[chunk]

    def _mix(self, cell: Cell, chunk: int, runs: Runs) -> U16:
        """Codes that a stroke of many colours lays in a chunk."""
        marks = self._coverage.marks
        channel = self._evaluator.channel(cell.channel) if marks.shape[1] == 4 and cell.channel is not None else None
        turns = channel is not None and channel.kind == "colour"
        if (cell.plane, chunk) not in self._mixed:
            self._mixed[cell.plane, chunk] = np.empty((cell.components - 1, CHUNK), np.uint16)
        out = self._mixed[cell.plane, chunk]
        mixed_values(runs[0], runs[1], chunk, marks, cell.values_u16, cell.second, turns, *self._mixing(cell), out)
        return out

    def _working(self, plane: str, components: int, chunk: int) -> tuple[U16 | None, U16]:
        """The chunk as it was before the stroke, and the copy the stroke writes."""
        written = self.changes[plane]
        if chunk not in written:
            exists = self._planes.key(plane, chunk) is not None
            base = self._planes.values(plane, chunk) if exists else None
            self._bases[plane, chunk] = base
            written[chunk] = empty_chunk(components) if base is None else base.copy()
        return self._bases[plane, chunk], written[chunk]
