"""Evening out the grain that few rays leave, along the surface and over seams and sheet borders.

Samples around a place are averaged with weights that fall with distance and with the angle between normals. Nothing is averaged over edges,
thin walls or steps, and a guide (a narrower mean of the same answers) keeps contact lines: what differs by more than noise explains does
not count. With 64 rays and the usual strength the noise falls to a fifth. Bias: second derivatives over one and a half texels.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, fields
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake._grain_kernels import CUT, even_out, fill_table, number_cells
from ruvelt.core.bake.point_arrays import GrainCells, GrainSamples
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
#: Standard deviation of the weights at full strength, and of the guide's own mean, in texels.
WIDEST, GUIDE = 3.0, 0.75
#: Cells a piece of work.
PIECE = 1 << 13


@dataclass(frozen=True, eq=False)
class Answers:
    """What rays told of the covered samples of one set, before it is evened out.

    slot : (n,) int32; position, normal : (n, 3) float32, object space, of the measured surface; area : (n,) float32 surface a sample stands for
    open_share : (n,) 0–1; bent : (n, 3); thickness : (n,) 0–1 of the reach; None where no rays were cast
    """

    slot: NDArray[np.int32]
    position: F32
    normal: F32
    area: F32
    open_share: F32 | None = None
    bent: F32 | None = None
    thickness: F32 | None = None

    def rows(self, keep: NDArray[np.bool_] | NDArray[np.int64]) -> Answers:
        found = {f.name: getattr(self, f.name) for f in fields(self)}
        kept: dict[str, Any] = {k: None if v is None else np.ascontiguousarray(v[keep]) for k, v in found.items()}
        return Answers(**kept)

    def laid_down(self, stem: Path) -> Answers:
        """The same from files beside each other that begin with `stem`, read as they are needed."""
        found: dict[str, Any] = {}
        for f in fields(self):
            value = getattr(self, f.name)
            found[f.name] = None
            if value is not None:
                path = stem.with_name(f"{stem.name}-{f.name}")
                value.tofile(path)
                found[f.name] = np.memmap(path, value.dtype, "r", shape=value.shape) if value.size else value
        return Answers(**found)

    def loaded(self) -> Answers:
        """The same in memory."""
        found: dict[str, Any] = {f.name: None if (v := getattr(self, f.name)) is None else np.array(v) for f in fields(self)}
        return Answers(**found)

    @staticmethod
    def joined(pieces: Sequence[Answers]) -> Answers:
        found = {f.name: [getattr(p, f.name) for p in pieces] for f in fields(Answers)}
        joined: dict[str, Any] = {k: None if v[0] is None else np.concatenate(v) for k, v in found.items()}
        return Answers(**joined)


def evened(
    answers: Answers,
    strength: float,
    rays: int,
    workers: Workers,
    beside: Sequence[Answers] = (),
    tick: Callable[[int], None] = lambda done: None,
) -> Answers:
    """The same samples with their grain evened out; `beside`: those of other sheets, of which what lies near counts.

    strength : 0–1; rays : how many each sample cast; tick(samples done) may raise to stop
    """
    n = len(answers.slot)
    if not n or strength <= 0:
        return answers
    spacing = float(np.sqrt(np.median(answers.area))) or 1.0
    radius = float(CUT) * WIDEST * strength * spacing
    cells = _Cells.of(answers.position, max(radius, float(CUT) * GUIDE * spacing))
    everything = Answers.joined([answers, *(b.rows(cells.near(b.position)) for b in beside)]) if beside else answers
    if beside:
        cells = _Cells.of(everything.position, cells.cell)
    total, order = len(everything.slot), cells.order
    xyz, normal = np.ascontiguousarray(everything.position[order].T), np.ascontiguousarray(everything.normal[order].T)
    area, mine = np.ascontiguousarray(everything.area[order]), order < n
    # Where the layout is stretched the mean grows no wider than two usual texels' worth.
    spacings = np.minimum(np.sqrt(area), np.float32(2 * spacing))

    def mean(values: F32, guide: F32, deviations: float, variance: float, who: NDArray[np.bool_]) -> F32:
        out, totals = np.empty_like(values), np.empty(total, np.float32)
        samples = GrainSamples(xyz, normal, area, spacings * np.float32(CUT * deviations), values, guide)
        lattice = GrainCells(cells.cell, cells.number, cells.dims, cells.table, cells.start)

        def piece(first: int) -> None:
            last = min(first + PIECE, len(cells.number))
            even_out(first, last, who, samples, variance, lattice, totals, out)
            tick(int(cells.start[last] - cells.start[first]))

        workers.map(piece, range(0, len(cells.number), PIECE))
        return out

    def back(found: F32) -> F32:
        out = np.empty((n, found.shape[1]), np.float32)
        out[order[mine]] = found[mine]
        return out

    def along(guide: F32, others: F32 | None = None) -> tuple[F32, F32 | None]:
        """(n,) evened answers, and the (n, 3) directions that came of the same rays."""
        first = np.ascontiguousarray(guide[order])
        pilot = np.ascontiguousarray(mean(first[:, None], first, GUIDE, 0.0, np.ones(total, bool))[:, 0])
        found = back(mean(first[:, None], pilot, WIDEST * strength, 1.0 / rays, mine))[:, 0]
        directions = None if others is None else back(mean(np.ascontiguousarray(others[order]), pilot, WIDEST * strength, 1.0 / rays, mine))
        return np.ascontiguousarray(found), directions

    open_share, bent, thickness = answers.open_share, answers.bent, answers.thickness
    if everything.open_share is not None:
        open_share, directions = along(everything.open_share, everything.bent)
        bent = None if directions is None else directions / np.maximum(np.linalg.norm(directions, axis=1, keepdims=True), np.float32(1e-12))
    if everything.thickness is not None:
        thickness, _ = along(everything.thickness)
    return Answers(answers.slot, answers.position, answers.normal, answers.area, open_share, bent, thickness)


@dataclass(frozen=True, eq=False)
class _Cells:
    """Places sorted by cells of one size, however far they reach: only cells that hold some are kept, found by their numbers.

    order : (n,) rows in the order of cells; number : (m,) of each cell; start : (m + 1,) into `order`
    """

    low: F32
    cell: float
    dims: NDArray[np.int64]
    order: NDArray[np.int64]
    number: NDArray[np.int64]
    start: NDArray[np.int64]
    table: NDArray[np.int32]

    @staticmethod
    def of(position: F32, cell: float) -> _Cells:
        low = position.min(axis=0)
        extent = (position.max(axis=0) - low).astype(np.float64)
        cell = max(cell, float(extent.max()) * 1e-6, 1e-30)
        dims = np.floor(extent / cell).astype(np.int64) + 1
        numbers = np.empty(len(position), np.int64)
        number_cells(position, low, cell, dims, numbers)
        order = np.argsort(numbers, kind="stable")
        sorted_numbers = numbers[order]
        first = np.flatnonzero(np.diff(sorted_numbers, prepend=-1))
        found = np.ascontiguousarray(sorted_numbers[first])
        table = np.full(1 << int(2 * len(found)).bit_length(), -1, np.int32)
        fill_table(found, table)
        return _Cells(low, cell, dims, order, found, np.append(first, len(position)).astype(np.int64), table)

    def near(self, position: F32) -> NDArray[np.bool_]:
        """Which (k, 3) places lie in a cell that holds some, or beside one."""
        at = np.floor((position - self.low) / np.float32(self.cell)).astype(np.int64)
        found = np.zeros(len(position), bool)
        for direction in np.ndindex(3, 3, 3):
            there = at + np.array(direction) - 1
            inside = ((there >= 0) & (there < self.dims)).all(axis=1)
            number = (there[:, 2] * self.dims[1] + there[:, 1]) * self.dims[0] + there[:, 0]
            row = np.minimum(np.searchsorted(self.number, number), len(self.number) - 1)
            found |= inside & (self.number[row] == number)
        return found
