"""Blur along the surface: samples are gathered on a coarse lattice of object space, smoothed there, and read back.

The lattice knows places and what hangs together around them (samples/connected.py), no UVs, so that both sides of a seam come to the same
and nothing passes an air gap or a wall. It is the grid of J. Chen, S. Paris and F. Durand, "Real-time edge-aware image processing with the
bilateral grid" (2007) over space, made to keep both constants and the sum of what it blurs by the scaling of J. Barron and B. Poole, "The
fast bilateral solver" (2016).
"""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples import _lattice_kernels as k
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.connected import Cloud, Pieces, links_along
from ruvelt.core.samples.near import near_blur
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.workers import SERIAL, Workers

#: Below this many sample spacings a blur changes nothing worth a pass; up to the second it takes means of single neighbours.
LEAST_SPACINGS, NEAR_SPACINGS = 0.2, 1.5
#: Passes over parts of the samples are summed in this order, whatever the number of threads.
PARTS = 4
#: Rounds of the scaling; its error falls by about a half in each.
ROUNDS = 5
F32 = NDArray[np.float32]


class SurfaceLattice:
    """A lattice of one cell size over points of a surface."""

    def __init__(self, cloud: Cloud, areas: F32, cell: float) -> None:
        """`areas` : (n,) float32 surface that each of the cloud's points stands for; `cell` : edge of a cell, object units."""
        self.cell = max(cell, cloud.model.diagonal / 2**18)
        points = cloud.positions[cloud.rows] if len(cloud.rows) else np.zeros((1, 3), np.float32)
        low = (points.min(axis=0) - np.float32(1.5 * self.cell)).astype(np.float32)
        pieces = Pieces(cloud, low, self.cell)
        self.nodes = pieces.nodes
        self._links = [links_along(pieces.node, pieces.nodes, axis) for axis in range(3)]
        self._scales: tuple[float, F32, F32] | None = None
        #: See PLACED of the kernels.
        self._placed = (cloud.positions, cloud.rows, areas, low, np.float32(1 / self.cell), pieces.piece_of, pieces.node)
        self._mass = self._gather(np.zeros((0, 0), np.uint16), SERIAL)[0]

    def _parts(self) -> list[tuple[int, int]]:
        edges = np.linspace(0, len(self._placed[1]), PARTS + 1).astype(int)
        return [(int(a), int(b)) for a, b in pairwise(edges)]

    def _gather(self, values_u16: NDArray[np.uint16], workers: Workers) -> F32:
        def part(ends: tuple[int, int]) -> F32:
            out = np.zeros((max(len(values_u16), 1), self.nodes), np.float32)
            k.to_nodes(*self._placed, *ends, values_u16, out)
            return out

        first, *others = workers.map(part, self._parts())
        for other in others:
            first += other
        return first

    def _smooth(self, values: F32, rounds: int, share: float) -> F32:
        """The same passes forth and back make a symmetric whole; each round adds `share` cells² of variance along every axis."""
        a, b = values.copy(), np.empty_like(values)
        for _ in range(rounds):
            for axis in (0, 1, 2, 2, 1, 0):
                k.smooth_along(*self._links[axis], np.float32(share), a, b)
                a, b = b, a
        return a

    def _scaling(self, sigma: float, rounds: int, share: float) -> tuple[F32, F32]:
        """What makes the smoothing keep sums, and what a constant 1 still comes to; the last is kept, for the next value of some slider."""
        if self._scales is None or self._scales[0] != sigma:
            mass = np.maximum(self._mass, 1e-30)
            scale = 1 / np.sqrt(mass)
            for _ in range(ROUNDS):
                scale = np.sqrt(scale / np.maximum(self._smooth(scale * mass, rounds, share), 1e-30))
            self._scales = (sigma, scale, scale * self._smooth(scale * mass, rounds, share))
        return self._scales[1:]

    def blur(self, values_u16: NDArray[np.uint16], sigma: float, workers: Workers = SERIAL) -> NDArray[np.uint16]:
        """(k, rows) uint16 blurred with a standard deviation of `sigma` object units; rows that do not count stay as they are."""
        # Gathering and reading back along straight lines add a sixth of a cell² each.
        variance = (sigma / self.cell) ** 2 - 1 / 3
        rounds = max(int(np.ceil(variance)), 0)
        share = variance / rounds if rounds else 0.0
        scale, constant = self._scaling(sigma, rounds, share)
        gathered = self._gather(np.ascontiguousarray(values_u16), workers)
        nodes = np.stack(workers.map(lambda row: scale * self._smooth(scale * row, rounds, share) / constant, list(gathered)))
        out = values_u16.copy()

        def read(ends: tuple[int, int]) -> None:
            k.from_nodes(*self._placed, *ends, nodes, out)

        workers.map(read, self._parts())
        return out


def surface_blur(samples: SurfaceSamples, values_u16: NDArray[np.uint16], sigma: float, workers: Workers = SERIAL) -> NDArray[np.uint16]:
    """Blur (k, slots) uint16 along the surface with a standard deviation of `sigma` object units."""
    if len(values_u16[0]) != samples.chunk_count * CHUNK:
        raise ValueError("codes need a value for every slot")
    if sigma < LEAST_SPACINGS * samples.spacing or not samples.covered_count:
        return values_u16
    if sigma < NEAR_SPACINGS * samples.spacing:
        return near_blur(samples, values_u16, sigma, workers)
    return samples.lattice(sigma).blur(values_u16, sigma, workers)
