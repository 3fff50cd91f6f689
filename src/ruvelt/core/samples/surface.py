"""What every set of surface samples offers, whether its samples are texels or vertices."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from itertools import count
from threading import Lock
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.arrays import SampleArrays
from ruvelt.core.samples.connected import Cloud, pieces_of
from ruvelt.core.samples.grid import SampleGrid
from ruvelt.core.samples.gutter import Gutter
from ruvelt.core.samples.pieces import GridPieces

if TYPE_CHECKING:
    from ruvelt.core.samples.lattice import SurfaceLattice

#: Lattices kept of one sheet, each for its own range of blurs.
LATTICES_KEPT = 3
#: Cells of some 2.4 spacings: finer ones would be as many as the samples, for blurs that hardly show.
FINEST_LATTICE = 3


_SERIALS = count()


class SurfaceSamples(ABC):
    """Points of the surface that can hold paint.

    covered : (slots,) bool; positions, normals : (slots, 3) float32, object space (zero where not covered);
    face : (slots,) int32, the polygon under the sample or -1. `spacing`: typical distance between samples, object units.
    """

    model: Model
    chunk_count: int
    positions: NDArray[np.float32]
    normals: NDArray[np.float32]
    face: NDArray[np.int32]
    #: Whether a chunk is a square of texels (blocks are 16 × 16) or a run of vertices (blocks are 256 in a row).
    is_sheet: bool
    #: Texels along a side of a sheet; 0 for vertices.
    side: int = 0
    #: Chunks along a side of the square in which views keep what they draw of these samples.
    chunks_across: int
    #: What is repeated around the samples on screen, and for each chunk the other chunks its part of that repeats.
    screen_gutter: Gutter
    gutter_sources: Mapping[int, tuple[int, ...]]

    @lazy
    def serial(self) -> int:
        """A number no other samples have: what is kept of one layout is never taken for another's."""
        return next(_SERIALS)

    @property
    def slot_count(self) -> int:
        return self.chunk_count * CHUNK

    @lazy
    def covered(self) -> NDArray[np.bool_]:
        return self.face >= 0

    @lazy
    def covered_count(self) -> int:
        return int(self.covered.sum())

    @lazy
    def spacing(self) -> float:
        return float(np.sqrt(self.area() / max(self.covered_count, 1)))

    @lazy
    def grid(self) -> SampleGrid:
        """The spatial grid over covered samples."""
        return SampleGrid.build(self.positions, self.normals, np.flatnonzero(self.covered).astype(np.int32), self.spacing)

    @lazy
    def arrays(self) -> SampleArrays:
        """What kernels ask of samples."""
        return SampleArrays(self.positions, self.normals, self.face, self.side, self.spacing, self.is_sheet, self.grid)

    @lazy
    def cloud(self) -> Cloud:
        """The covered samples as points of the surface."""
        return Cloud(self.model, self.positions, self.face, np.flatnonzero(self.covered).astype(np.int32))

    @lazy
    def grid_pieces(self) -> GridPieces:
        """What hangs together in the cells of the grid."""
        return pieces_of(self.cloud, self.grid)

    @lazy
    def grid_areas(self) -> NDArray[np.float32]:
        """(n,) float32 surface each sample stands for, in the grid's order, relative: dense islands count no more than thin ones."""
        return np.ascontiguousarray(self.sample_areas(self.grid.slot), np.float32)

    def lattice(self, sigma: float) -> SurfaceLattice:
        """The lattice for blurs of `sigma` object units. The last few are kept; half an octave shares one."""
        from ruvelt.core.samples.lattice import SurfaceLattice

        level = max(int(np.floor(2 * np.log2(sigma / self.spacing))), FINEST_LATTICE)
        with self._lattice_lock:
            if level not in self._lattices:
                while len(self._lattices) >= LATTICES_KEPT:
                    del self._lattices[next(iter(self._lattices))]
                areas = np.ascontiguousarray(self.sample_areas(self.cloud.rows), np.float32)
                self._lattices[level] = SurfaceLattice(self.cloud, areas, self.spacing * 2 ** (level / 2) * 0.85)
            return self._lattices[level]

    @lazy
    def _lattices(self) -> dict[int, SurfaceLattice]:
        return {}

    @lazy
    def _lattice_lock(self) -> Lock:
        return Lock()

    def spacings(self, chunk: int) -> NDArray[np.float32]:
        """(65536,) float32 side of the square of surface that each sample of a chunk stands for, object units."""
        sides = np.full(CHUNK, self.spacing, np.float32)
        slots = np.flatnonzero(self.covered[chunk * CHUNK : (chunk + 1) * CHUNK]).astype(np.int32)
        sides[slots] = np.sqrt(self.sample_areas(slots + np.int32(chunk * CHUNK)))
        return sides

    @abstractmethod
    def sample_areas(self, slots: NDArray[np.int32]) -> NDArray[np.float32]:
        """(n,) float32 surface that each of the given samples stands for, object units squared."""

    @abstractmethod
    def area(self) -> float:
        """Surface area the samples stand for, object units squared."""

    @abstractmethod
    def slots_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """(slots,) bool: samples of the faces marked in the (f,) bool array."""

    def share_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.float32]:
        """(slots,) float32 0–1: how far the faces marked in the (f,) bool array cover each sample."""
        return self.slots_of_faces(faces).astype(np.float32)
