"""Soften's means over the surface: of clusters of neighbouring samples, at every few texels, and straight between those."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._cluster_kernels import fill_clusters, soften_blocks, soften_nodes, soften_values
from ruvelt.core.brush.cluster_arrays import Into, Nodes
from ruvelt.core.brush.clusters import clusters_of
from ruvelt.core.brush.parts import Part, map_blocks
from ruvelt.core.samples.address import CHUNK_SIDE
from ruvelt.core.samples.blocks import slots_of
from ruvelt.core.samples.pieces import PieceScratch
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
        self._samples, self._workers, self._radius, self._pictures = samples, workers, radius, pictures
        self._clusters = clusters = clusters_of(samples, radius)
        self._values = np.zeros((4, len(clusters.mass)), np.float32)
        self._step = next((n for n in (4, 2) if radius >= APART * n * samples.spacing), 1)
        # A kernel of a radius has a sixth of its square as variance; clusters and straight lines between nodes bring some of their own.
        own = np.sqrt(radius**2 - (clusters.most - 1) / 2 * samples.spacing**2)
        between = np.sqrt(own**2 - (self._step * samples.spacing) ** 2) if self._step > 1 else own
        self._own, self._between = float(own), float(between)
        self._rooms: list[PieceScratch] = []
        #: Cells of the grid whose clusters have their means.
        self._filled = np.zeros(len(samples.grid.start) - 1, np.uint8)
        #: By chunk: which nodes are known, and their means.
        self._nodes: dict[int, Nodes] = {}

    def make(self, parts: list[Part], comps: int, multiplied: bool) -> None:
        """Fill in parts of the plane. multiplied : pictures hold colours times alpha, the last; then values are told without."""
        samples = self._samples
        pictures = self._pictures(np.array([part.chunk for part in parts]))
        self._fill(parts, pictures, comps)
        on_nodes = self._step > 1 and isinstance(samples, SheetSamples)
        if on_nodes:
            self._make_nodes(parts)

        def run(part: Part) -> None:
            into = Into(int(pictures[part.chunk]), comps, multiplied, part.out)
            with self._room() as room:
                if on_nodes:
                    soften_blocks(part.blocks, part.chunk, self._nodes[part.chunk], samples.arrays, *self._around(self._own, room), into)
                    return
                slots = slots_of(part.blocks, samples.face, samples.is_sheet, part.chunk)
                soften_values(slots, samples.arrays, *self._around(self._own, room), into)

        map_blocks(self._workers, run, parts)

    @contextmanager
    def _room(self) -> Iterator[PieceScratch]:
        """What a kernel marks pieces with, by itself: it is kept, for clearing it takes longer than a batch."""
        try:
            room = self._rooms.pop()
        except IndexError:
            room = PieceScratch.of(self._samples.grid_pieces)
        yield room
        self._rooms.append(room)

    def _around(self, radius: float, room: PieceScratch) -> tuple[object, ...]:
        """What kernels ask of the clusters, with room for what hangs together."""
        return radius, self._clusters, self._samples.grid_pieces, room, self._values

    def _fill(self, parts: list[Part], pictures: NDArray[np.int64], comps: int) -> None:
        """Give the clusters around blocks their means."""
        samples, clusters = self._samples, self._clusters
        around = (samples.arrays, self._radius + 2 * samples.spacing, clusters, samples.grid_areas, pictures, comps)
        missing = np.zeros(samples.chunk_count, np.uint8)

        def fill(part: Part) -> None:
            fill_clusters(part.blocks, part.chunk, *around, self._filled, missing, self._values)

        map_blocks(self._workers, fill, parts)
        while len(chunks := np.flatnonzero(missing)):
            self._pictures(chunks)
            missing[:] = 0
            map_blocks(self._workers, fill, parts)

    def _make_nodes(self, parts: list[Part]) -> None:
        size = (CHUNK_SIDE // self._step + 1) ** 2
        for part in parts:
            if part.chunk not in self._nodes:
                self._nodes[part.chunk] = Nodes(self._step, np.zeros(size, np.int32), np.zeros((size, 4), np.float32))

        def make(part: Part) -> None:
            with self._room() as room:
                soften_nodes(part.blocks, part.chunk, self._nodes[part.chunk], self._samples.arrays, *self._around(self._between, room))

        map_blocks(self._workers, make, parts)
