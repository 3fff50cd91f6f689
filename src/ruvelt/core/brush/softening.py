"""Soften's means over the surface: of clumps of neighbouring samples, at every few texels, and straight between those."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._clump_kernels import fill_clumps, soften_blocks, soften_codes, soften_nodes
from ruvelt.core.brush.clumps import clumps_of
from ruvelt.core.brush.parts import Part, spread
from ruvelt.core.samples.address import CHUNK_SIDE
from ruvelt.core.samples.blocks import slots_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import Workers

#: A radius of so many steps between nodes: fewer would show which texels are nodes.
APART = 4
F32 = NDArray[np.float32]
I32 = NDArray[np.int32]


class Softener:
    """Means of one plane's pictures as they were when a stroke began, within one radius (object space)."""

    def __init__(self, samples: SurfaceSamples, workers: Workers, radius: float, pictures: Callable[[NDArray[np.int64]], NDArray[np.int64]]) -> None:
        """`pictures` gives (chunks,) addresses of what is read in some chunks, 0 for the others."""
        grid, pieces = samples.grid, samples.grid_pieces
        self._samples, self._workers, self._radius, self._pictures = samples, workers, radius, pictures
        self._clumps = clumps = clumps_of(samples, radius)
        self._values = np.zeros((4, len(clumps.mass)), np.float32)
        self._step = next((n for n in (4, 2) if radius >= APART * n * samples.spacing), 1)
        # A kernel of a radius has a sixth of its square as variance; clumps and straight lines between nodes bring some of their own.
        own = np.sqrt(radius**2 - (clumps.most - 1) / 2 * samples.spacing**2)
        between = np.sqrt(own**2 - (self._step * samples.spacing) ** 2) if self._step > 1 else own
        place = (grid.low, grid.cell, grid.dims, clumps.start, clumps.middle, clumps.facing, clumps.mass, clumps.piece, clumps.slot_piece)
        self._place_of = (*place, pieces.place, pieces.start, pieces.beside)
        self._own, self._between = float(own), float(between)
        self._rooms: list[tuple[I32, I32]] = []
        #: Cells of the grid whose clumps have their means.
        self._filled = np.zeros(len(grid.start) - 1, np.uint8)
        #: By chunk: which nodes are known, and their means.
        self._nodes: dict[int, tuple[I32, F32]] = {}

    def make(self, parts: list[Part], comps: int, multiplied: bool) -> None:
        """Fill in parts of the plane. multiplied : pictures hold colours times alpha, the last; then values are told without."""
        samples = self._samples
        pictures = self._pictures(np.array([part.chunk for part in parts]))
        self._fill(parts, pictures, comps)
        on_nodes = self._step > 1 and isinstance(samples, SheetSamples)
        if on_nodes:
            self._make_nodes(parts)

        def run(part: Part) -> None:
            end = (int(pictures[part.chunk]), comps, multiplied, part.out)
            with self._room() as room:
                if on_nodes:
                    soften_blocks(part.blocks, *self._place(part.chunk), *self._around(self._own, room), *end)
                    return
                slots = slots_of(part.blocks, samples.face, samples.is_sheet, part.chunk)
                soften_codes(slots, samples.positions, samples.normals, *self._around(self._own, room), *end)

        spread(self._workers, run, parts)

    @contextmanager
    def _room(self) -> Iterator[tuple[I32, I32]]:
        """What a kernel marks pieces with, by itself: it is kept, for clearing it takes longer than a batch."""
        pieces = len(self._samples.grid_pieces.place)
        try:
            room = self._rooms.pop()
        except IndexError:
            room = np.full(pieces + 1, -1, np.int32), np.empty(pieces, np.int32)
        yield room
        self._rooms.append(room)

    def _around(self, radius: float, room: tuple[I32, I32]) -> tuple[object, ...]:
        """What kernels ask of the clumps, with room for what hangs together."""
        return radius, *self._place_of, *room, self._values

    def _place(self, chunk: int) -> tuple[object, ...]:
        """Where nodes of a chunk lie, and what is known of them."""
        samples = self._samples
        assert isinstance(samples, SheetSamples)
        return chunk, self._step, samples.side, samples.face, *self._nodes[chunk], samples.positions, samples.normals

    def _fill(self, parts: list[Part], pictures: NDArray[np.int64], comps: int) -> None:
        """Give the clumps around blocks their means."""
        samples, grid, clumps = self._samples, self._samples.grid, self._clumps
        side = samples.side if isinstance(samples, SheetSamples) else 0
        reach = self._radius + 2 * samples.spacing
        around = (side, samples.face, samples.positions, reach, grid.low, grid.cell, grid.dims, grid.start, grid.slot)
        given = (clumps.order, clumps.start, clumps.first, samples.grid_areas, pictures, comps)
        missing = np.zeros(samples.chunk_count, np.uint8)

        def fill(part: Part) -> None:
            fill_clumps(part.blocks, part.chunk, *around, *given, self._filled, missing, self._values)

        spread(self._workers, fill, parts)
        while len(chunks := np.flatnonzero(missing)):
            self._pictures(chunks)
            missing[:] = 0
            spread(self._workers, fill, parts)

    def _make_nodes(self, parts: list[Part]) -> None:
        size = (CHUNK_SIDE // self._step + 1) ** 2
        for part in parts:
            if part.chunk not in self._nodes:
                self._nodes[part.chunk] = np.zeros(size, np.int32), np.zeros((size, 4), np.float32)

        def make(part: Part) -> None:
            with self._room() as room:
                soften_nodes(part.blocks, *self._place(part.chunk), *self._around(self._between, room))

        spread(self._workers, make, parts)
