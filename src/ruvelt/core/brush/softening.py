"""Soften's means over the surface: of clumps of neighbouring samples, at every few texels, and straight between those."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._clump_kernels import fill_clumps, soften_codes, soften_nodes, soften_tiles
from ruvelt.core.brush.clumps import clumps_of
from ruvelt.core.brush.parts import Part, spread
from ruvelt.core.samples.chunks import CHUNK_SIDE
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.tiles import slots_of
from ruvelt.core.workers import Workers

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]


class Softener:
    """Means of one plane's pictures as they were when a stroke began, within one radius (object space)."""

    def __init__(self, samples: SurfaceSamples, workers: Workers, radius: float, pictures: Callable[[NDArray[np.int64]], NDArray[np.int64]]) -> None:
        """`pictures` gives (chunks,) addresses of what is read in some chunks, 0 for the others."""
        grid = samples.grid
        self._samples, self._workers, self._radius, self._pictures = samples, workers, radius, pictures
        self._clumps = clumps = clumps_of(samples, radius)
        self._values = np.zeros((4, len(clumps.mass)), np.float32)
        self._around = (radius, grid.low, grid.cell, grid.dims, clumps.start, clumps.middle, clumps.facing, clumps.mass, self._values)
        #: Cells of the grid whose clumps have their means.
        self._filled = np.zeros(len(grid.start) - 1, np.uint8)
        self._step = next((n for n in (4, 2) if radius >= 3 * n * samples.spacing), 1)
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
            if on_nodes:
                soften_tiles(part.tiles, *self._place(part.chunk), *self._around, *end)
            else:
                slots = slots_of(part.tiles, samples.face, samples.square, part.chunk)
                soften_codes(slots, samples.positions, samples.normals, *self._around, *end)

        spread(self._workers, run, parts)

    def _place(self, chunk: int) -> tuple[object, ...]:
        """Where nodes of a chunk lie, and what is known of them."""
        samples = self._samples
        assert isinstance(samples, SheetSamples)
        return chunk, self._step, samples.side, samples.face, *self._nodes[chunk], samples.positions, samples.normals

    def _fill(self, parts: list[Part], pictures: NDArray[np.int64], comps: int) -> None:
        """Give the clumps around tiles their means."""
        samples, grid, clumps = self._samples, self._samples.grid, self._clumps
        side = samples.side if isinstance(samples, SheetSamples) else 0
        reach = self._radius + 2 * samples.spacing
        around = (side, samples.face, samples.positions, reach, grid.low, grid.cell, grid.dims, grid.start, grid.slot)
        given = (clumps.start, clumps.first, samples.grid_areas, pictures, comps)
        missing = np.zeros(samples.chunk_count, np.uint8)

        def fill(part: Part) -> None:
            fill_clumps(part.tiles, part.chunk, *around, *given, self._filled, missing, self._values)

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
        spread(self._workers, lambda part: soften_nodes(part.tiles, *self._place(part.chunk), *self._around), parts)
