"""Soften's means over the surface: of clumps of neighbouring samples, at every few texels, and straight between those."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._clump_kernels import ask_nodes, cells_near, fill_clumps, soften_codes, soften_nodes, soften_tiles
from ruvelt.core.brush.clumps import clumps_of
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.chunks import CHUNK_SIDE
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.tiles import slots_of
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
#: Tiles of a chunk to be made: the chunk, the (n,) tiles, and its (components, 65536) values.
Work = tuple[int, I32, U16]
#: What is worth a thread: cells whose clumps are filled, nodes, tiles.
CELLS, NODES, TILES = 4000, 2000, 100


class Softener:
    """Means of one plane's pictures as they were when a stroke began, within one radius (object space)."""

    def __init__(self, samples: SurfaceSamples, workers: Workers, radius: float, pictures: Callable[[NDArray[np.int64]], NDArray[np.int64]]) -> None:
        """`pictures` gives (chunks,) addresses of what is read in some chunks, 0 for the others."""
        grid = samples.grid
        self._samples, self._workers, self._radius, self._pictures = samples, workers, radius, pictures
        self._clumps = clumps = clumps_of(samples, radius)
        self._values = np.zeros((4, len(clumps.mass)), np.float32)
        self._around = (radius, grid.low, grid.cell, grid.dims, clumps.start, clumps.middle, clumps.facing, clumps.mass, self._values)
        self._seen, self._cells = np.zeros(len(grid.start) - 1, np.uint8), np.empty(len(grid.start) - 1, np.int32)
        self._step = next((n for n in (4, 2) if radius >= 3 * n * samples.spacing), 1)
        #: By chunk: which nodes are known, and their means.
        self._nodes: dict[int, tuple[I32, F32]] = {}

    def make(self, work: list[Work], comps: int, multiplied: bool) -> None:
        """Fill in tiles. multiplied : pictures hold colours times alpha, the last; then values are told without."""
        self._fill([(chunk, tiles) for chunk, tiles, _ in work], comps)
        samples = self._samples
        own = self._pictures(np.array([chunk for chunk, _, _ in work]))
        on_nodes = self._step > 1 and isinstance(samples, SheetSamples)
        if on_nodes:
            self._make_nodes([(chunk, tiles) for chunk, tiles, _ in work])

        def run(piece: Work) -> None:
            chunk, tiles, out = piece
            end = (int(own[chunk]), comps, multiplied, out)
            if on_nodes:
                assert isinstance(samples, SheetSamples)
                place = (chunk, self._step, samples.side, samples.face, *self._nodes[chunk], samples.positions, samples.normals)
                soften_tiles(tiles, *place, *self._around, *end)
            else:
                slots = slots_of(tiles, samples.face, samples.square, chunk)
                soften_codes(slots, samples.positions, samples.normals, *self._around, *end)

        self._workers.map(run, [(chunk, part, out) for chunk, tiles, out in work for part in self._parts(tiles, TILES)])

    def _parts(self, items: I32, least: int) -> list[I32]:
        """Items in as many parts as threads can use."""
        return np.array_split(items, max(1, min(len(items) // least, self._workers.threads)))

    def _fill(self, places: list[tuple[int, I32]], comps: int) -> None:
        """Give the clumps around tiles their means."""
        samples, grid, clumps = self._samples, self._samples.grid, self._clumps
        marks, count = np.zeros(samples.chunk_count, np.uint8), 0
        side = samples.side if isinstance(samples, SheetSamples) else 0
        for chunk, tiles in places:
            count = int(
                cells_near(
                    tiles, chunk, side, samples.face, samples.positions, self._radius + 2 * samples.spacing,
                    grid.low, grid.cell, grid.dims, grid.start, grid.slot, self._seen, self._cells, count, marks,
                )
            )  # fmt: skip
        if not count:
            return
        pictures = self._pictures(np.flatnonzero(marks))

        def fill(cells: I32) -> None:
            fill_clumps(cells, grid.slot, clumps.start, clumps.first, samples.grid_areas, pictures, comps, self._values)

        self._workers.map(fill, self._parts(self._cells[:count], CELLS))

    def _make_nodes(self, places: list[tuple[int, I32]]) -> None:
        samples = self._samples
        assert isinstance(samples, SheetSamples)
        wide = CHUNK_SIDE // self._step + 1
        asked = []
        for chunk, tiles in places:
            if chunk not in self._nodes:
                self._nodes[chunk] = np.zeros(wide * wide, np.int32), np.zeros((wide * wide, 4), np.float32)
            nodes = np.empty(len(tiles) * (16 // self._step + 1) ** 2, np.int32)
            count = int(ask_nodes(tiles, chunk, self._step, samples.side, samples.face, self._nodes[chunk][0], nodes))
            asked += [(chunk, part) for part in self._parts(nodes[:count], NODES)]

        def run(piece: tuple[int, I32]) -> None:
            known, values = self._nodes[piece[0]]
            soften_nodes(piece[1], known, samples.positions, samples.normals, *self._around, values)

        self._workers.map(run, asked)
