"""How far a stroke or flood covers each sample, and what its dabs leave there beside that."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush import dab
from ruvelt.core.brush._dab_kernels import ball_dabs, disc_dabs, flood_coverage, join_twins
from ruvelt.core.brush._rich_kernels import rich_balls, rich_discs
from ruvelt.core.brush.gradient import Gradient, gradient_share
from ruvelt.core.brush.settings import Brush, Mirror
from ruvelt.core.brush.tip_arrays import SweptPictures
from ruvelt.core.samples.address import BLOCKS, CHUNK, block_of, chunk_of
from ruvelt.core.samples.blocks import blocks_of
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.faces import FaceIndex
from ruvelt.core.stroke.mirrored import mirrored_discs
from ruvelt.core.stroke.tip import StrokeTip
from ruvelt.core.workers import Workers

#: Samples met by a batch's dabs from which threads share the work.
SLABS_FROM = 300_000
#: The same for dabs that are weighed sample by sample.
RICH_SLABS_FROM = 150_000
#: Most that coverage of mirrored twins may span; past it, many of them on a large sheet, they add up where they meet.
TWINS_BYTES = 4 << 30
F32 = NDArray[np.float32]


class Coverage:
    """values : (slots,) float32, 0–1. hidden : (faces,) bool marks faces that nothing may touch"""

    def __init__(self, brush: Brush, tip: StrokeTip, samples: SurfaceSamples, hidden: NDArray[np.bool_] | None, workers: Workers) -> None:
        self.samples, self.tip = samples, tip
        #: The samples as kernels see them, with the spacing where dabs are being laid.
        self._arrays = samples.arrays
        self._brush, self._workers = brush, workers
        self.values = np.zeros(samples.slot_count, np.float32)
        #: The share of each sample that a fill covers; none for strokes.
        self.shares = np.zeros(0, np.float32)
        #: What the stroke remembers of its dabs' colours at each sample.
        self.marks = np.zeros((samples.slot_count if brush.colours_vary else 0, 4 if brush.colours_turn else 1), np.float32)
        #: Coverage and marks of each mirrored twin, (copies, slots …).
        self._twins: tuple[F32, F32] | None = None
        on_surface = brush.grain.picture is not None and brush.grain.fixed == "surface"
        #: What the grain leaves of paint at each sample, as far as it was asked, for it is the same for every dab.
        self._textures = np.zeros(samples.slot_count if on_surface else 0, np.float32)
        self._home: int | None = None
        #: (slots,) uint8 samples that may be touched; none where all may.
        self.allowed = np.zeros(0, np.uint8)
        if hidden is not None and hidden.any():
            self.allowed = (~samples.slots_of_faces(hidden)).astype(np.uint8)

    def unmarked(self) -> NDArray[np.uint8]:
        """(chunks, 256) uint8 marks of blocks, none yet."""
        return np.zeros((self.samples.chunk_count, BLOCKS), np.uint8)

    def with_twins(self, dabs: F32, mirror: Mirror | None) -> tuple[F32, NDArray[np.int64], int]:
        """Dabs with those of the flat sheet mirrored, (n,) which twin each belongs to, and how many twins there are."""
        copies = 1 if mirror is None else 2 ** sum((mirror.x, mirror.y, mirror.z)) * mirror.around
        copy = np.arange(len(dabs)) % copies
        if mirror is not None and dab.is_flat(dab.kind_of(dabs)):
            assert isinstance(self.samples, SheetSamples)
            dabs, copy = mirrored_discs(self.samples, dabs, mirror)
        return dabs, copy, copies

    def lay(self, dabs: F32, copy: NDArray[np.int64], copies: int, flat: bool, dirty: NDArray[np.uint8]) -> None:
        """Raise it by dabs and mark the blocks they came to."""
        if copies == 1 or copies * self.values.nbytes > TWINS_BYTES:
            self._raise(dabs, flat, self.values, self.marks, dirty)
        else:
            self._raise_twins(dabs, copy, copies, flat, dirty)

    def _raise(self, dabs: F32, flat: bool, coverage: F32, marks: F32, dirty: NDArray[np.uint8]) -> None:
        """Raise (slots,) coverage by dabs, and note their colours."""
        for run, spacing in self._runs(dabs, flat):
            self._arrays = self.samples.arrays if spacing is None else self.samples.arrays._replace(spacing=spacing)
            self._raise_run(run, flat, coverage, marks, dirty)

    def _runs(self, dabs: F32, flat: bool) -> Iterator[tuple[F32, float | None]]:
        """Dabs in their order, cut where the vertices about them lie so much closer or farther apart that rims and thin lines differ."""
        if flat or not isinstance(self.samples, VertexSamples) or not len(dabs):
            yield dabs, None
            return
        spacing = self.samples.spacing_at(dabs[:, dab.X : dab.X + 3])
        ends = [0, *(np.flatnonzero(np.diff(spacing)) + 1).tolist(), len(dabs)]
        for first, end in pairwise(ends):
            yield dabs[first:end], float(spacing[first])

    def _raise_run(self, dabs: F32, flat: bool, coverage: F32, marks: F32, dirty: NDArray[np.uint8]) -> None:
        if dab.is_rich(dab.kind_of(dabs)):
            self._rich(np.array(dabs, np.float32, order="C"), flat, coverage, marks, dirty)
        elif not flat:
            self._ball(np.ascontiguousarray(dabs, np.float32), coverage, dirty)
        else:
            assert isinstance(self.samples, SheetSamples)
            disc_dabs(np.ascontiguousarray(dabs, np.float32), self.samples.side, self.samples.owner, self.allowed, coverage, dirty)

    def _raise_twins(self, dabs: F32, copy: NDArray[np.int64], copies: int, flat: bool, dirty: NDArray[np.uint8]) -> None:
        """The same for mirrored strokes: each by itself, and where they meet the strongest, as if one had passed there once."""
        if self._twins is None:
            # Of what no twin comes to no memory is taken.
            self._twins = np.zeros((copies, len(self.values)), np.float32), np.zeros((copies, *self.marks.shape), np.float32)
        coverage, marks = self._twins
        for k in range(copies):
            mine = dabs[copy == k]
            if len(mine):
                self._raise(mine, flat, coverage[k], marks[k], dirty)
        join_twins(np.flatnonzero(dirty.view(np.bool_)).astype(np.int32), self.samples.is_sheet, coverage, marks, self.values, self.marks)

    def _rich(self, dabs: F32, flat: bool, coverage: F32, marks: F32, dirty: NDArray[np.uint8]) -> None:
        samples, tip = self.samples, self.tip.ready(dabs[0], flat)
        for part, swept in self.tip.parts(dabs):
            some = dabs[part]
            if flat:
                assert isinstance(samples, SheetSamples)
                rich_discs(some, samples.side, samples.owner, self.allowed, tip, swept, coverage, marks, dirty)
                continue
            edges = self._slabs(some, self.tip.reach, RICH_SLABS_FROM)

            def lay(slab: int, some: F32 = some, swept: SweptPictures = swept, edges: list[int] = edges) -> None:
                ends = edges[slab], edges[slab + 1] - 1
                rich_balls(some, self._arrays, self.allowed, *ends, tip, swept, coverage, marks, dirty, self._textures)

            self._workers.map(lay, range(len(edges) - 1))

    def _ball(self, dabs: NDArray[np.float32], coverage: F32, dirty: NDArray[np.uint8]) -> None:
        edges = self._slabs(dabs)

        def lay(slab: int) -> None:
            ball_dabs(dabs, self._arrays, self.allowed, edges[slab], edges[slab + 1] - 1, coverage, dirty)

        self._workers.map(lay, range(len(edges) - 1))

    def _slabs(self, dabs: F32, reach: float = 1.0, least: int = SLABS_FROM) -> list[int]:
        """Layers of the grid that each thread takes, so that no sample is raised by two and the order of dabs is kept."""
        grid = self.samples.grid
        whole = [0, int(grid.dims[2])]
        # A batch of few samples is done sooner than a thread is woken.
        met = float(np.square(dabs[:, dab.RADIUS].astype(np.float64)).sum()) * np.pi / self.samples.spacing**2
        if self._workers.threads == 1 or not met > least:
            return whole
        along, deep = np.abs(dabs[:, dab.SWEEP + 2]), reach * dabs[:, dab.RADIUS]
        low = float((dabs[:, dab.Z] - deep - along).min() - grid.low[2]) / grid.cell
        high = float((dabs[:, dab.Z] + deep + along).max() - grid.low[2]) / grid.cell
        if not np.isfinite(low + high):
            return whole
        first, last = (int(np.clip(np.floor(v), 0, grid.dims[2] - 1)) for v in (low - 1, high + 1))
        return [int(e) for e in np.linspace(first, last + 1, min(2 * self._workers.threads, last - first + 1) + 1)]

    def stay_on_part(self, first: F32) -> None:
        """From now on only the part under the first dab takes paint."""
        if self._home is not None:
            return
        centre, radius = self.in_space(first)
        slot = int(self.samples.grid.nearest(np.asarray(centre, np.float64)[None], max(radius, 8 * self.samples.spacing))[0])
        if slot < 0:
            return
        model = self.samples.model
        self._home = int(model.face_part[self.samples.face[slot]])
        mine = self.samples.slots_of_faces(model.face_part == self._home).astype(np.uint8)
        self.allowed = mine if not len(self.allowed) else self.allowed & mine

    def in_space(self, one: NDArray[np.float32]) -> tuple[NDArray[np.float32], float]:
        """Centre and radius of a dab in object space."""
        if not dab.is_flat(int(one[dab.KIND])):
            return one[: dab.RADIUS], float(one[dab.RADIUS])
        samples = self.samples
        assert isinstance(samples, SheetSamples)
        x, y = np.clip(one[: dab.Z].astype(int), 0, samples.side - 1)
        return samples.positions[samples.texel_to_slot(int(x), int(y))], float(one[dab.RADIUS]) * samples.spacing

    def fill(self, slots: NDArray[np.int32], weights: F32, dirty: NDArray[np.uint8]) -> None:
        """Raise samples to weights, where they may be touched."""
        may = np.ones(len(slots), np.float32) if not len(self.allowed) else self.allowed[slots].astype(np.float32)
        self.values[slots] = np.maximum(self.values[slots], weights * np.float32(self._brush.strength) * may)
        dirty[chunk_of(slots), block_of(slots, self.samples.is_sheet)] = 1

    def restart(self, chunks: Iterable[int]) -> NDArray[np.uint8]:
        """Take back all that was laid in chunks. Gives the (chunks, 256) blocks it covered."""
        dirty = self.unmarked()
        for chunk in chunks:
            part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
            dirty[chunk] = blocks_of(self.values[part] > 0, self.samples.is_sheet)
            self.values[part] = 0
            if len(self.marks):
                self.marks[part] = 0
            if self._twins is not None:
                self._twins[0][:, part] = 0
                self._twins[1][:, part] = 0
        return dirty

    def flood(self, picks: Iterable[FacePick] | None, strength: float, faces: FaceIndex, gradient: Gradient | None) -> NDArray[np.uint8]:
        """Cover picked faces of the sheet (all of it for None) at a strength; hidden faces stay as they are. Gives the (chunks, 256) blocks."""
        samples = self.samples
        shares = np.ones(samples.slot_count, np.float32) if picks is None else samples.share_of_faces(faces.mark(picks))
        if len(self.allowed):
            shares *= self.allowed
        self.shares, dirty = shares, self.unmarked()
        owner = samples.owner if isinstance(samples, SheetSamples) else samples.face

        def cover(chunk: int) -> None:
            flood_coverage(owner, chunk * CHUNK, (chunk + 1) * CHUNK, strength, shares, self.values, dirty, samples.is_sheet)

        self._workers.map(cover, range(samples.chunk_count))
        if gradient is not None:
            self.marks = np.zeros((samples.slot_count, 1), np.float32)
            self.marks[:, 0] = gradient_share(gradient, samples.positions, samples.spacing)
        return dirty
