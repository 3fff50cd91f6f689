"""The normal channel on vertices: how far relief leans the mesh's own normals. Geometry is never moved."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.output._vertex_normal_kernels import VertexFans, leaning_runs
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.blocks import Runs
from ruvelt.core.samples.vertices import VertexSamples


class VertexNormalField:
    """What turning height on vertices into leaning normals needs; the twin of `NormalField`."""

    def __init__(self, samples: VertexSamples) -> None:
        self.samples = samples

    @lazy
    def _fans(self) -> VertexFans:
        samples = self.samples
        return VertexFans(samples.positions, samples.normals, samples.triangles, *samples.fans)

    def neighbours(self, chunk: int) -> list[int]:
        """The chunk and those with a vertex that an edge joins to one of it."""
        return [chunk, *self.samples.chunks_beside(chunk)]

    def reached(self, blocks: dict[int, NDArray[np.uint8]]) -> dict[int, NDArray[np.uint8]]:
        """Marked blocks and those whose normals change with their heights."""
        return self.samples.with_neighbours(blocks)

    def run(self, chunk: int, runs: Runs, heights: dict[int, U16], units: float, supplied: U16 | None, out: U16) -> None:
        """Write how far normals of runs of a chunk lean to `out` (3, 65536) uint16, as `leaning_runs` tells.

        heights : composites of the height channel for `neighbours(chunk)`; units : object units that height 1 stands for
        """
        addresses = np.zeros(self.samples.chunk_count, np.int64)
        for c, values_u16 in heights.items():
            addresses[c] = address_of(values_u16)
        varied = any((values_u16 != values_u16.flat[0]).any() for values_u16 in heights.values())
        leaning_runs(runs, chunk, addresses, units / 32767 if varied else 0.0, self._fans, out)
