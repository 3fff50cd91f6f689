"""Values of one set of samples at another: of vertices, of texels, of another layout or another mesh. Paint is weighed by its coverage."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.subdivide import Subdivision
from ruvelt.core.samples._spot_kernels import add_up, between_corners, between_texels, nearest_corners
from ruvelt.core.samples.address import CHUNK, slot_at
from ruvelt.core.samples.grid import SampleGrid
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.spots import Spots, on_level, on_mesh, on_own, squares_as_cells, triangles_as_cells
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.workers import SERIAL, Workers

U16 = NDArray[np.uint16]
#: How far another mesh is looked for along the normals, as a share of the diagonal; and how far a level of the mesh.
REACH, LEVEL_REACH = 0.05, 0.02
#: From so many old samples for one new one their mean is taken, below that what lies between the nearest.
MANY = 2.0


class Resampling:
    """From one set of samples to another; worked out once for any number of planes.

    Samples that lie on one mesh, in whatever layout, or on levels of it, are told by their place in its polygons; on other meshes by the
    nearest surface along their normals. Nothing comes through a thin wall: a source faces the way its sample does.

    levels : those of the model, where the vertices may lie on one; reach : object units beyond which another mesh has nothing to give, None for
    no limit; means : whether vertices get the mean of the texels about them, or what lies just there. `lost`: (k,) int64 slots of the new
    samples that found nothing.
    """

    def __init__(
        self,
        old: SurfaceSamples,
        new: SurfaceSamples,
        levels: Subdivision | None = None,
        workers: Workers = SERIAL,
        reach: float | None = None,
        *,
        means: bool = True,
    ) -> None:
        self._old, self._new, self._levels, self._workers = old, new, levels, workers
        self._limit = new.model.diagonal if reach is None else reach
        self._near_limit = REACH * new.model.diagonal if reach is None else reach
        self.lost = np.zeros(0, np.int64)
        #: New slots that have the nearest old one, and that one.
        self._bare = (self.lost, self.lost)
        #: Gives all others their values.
        self._lay: Callable[[U16, U16], None]
        if isinstance(old, VertexSamples) and isinstance(new, VertexSamples) and same_faces(old.model, new.model):
            self._by_vertex(old, new)
        elif isinstance(old, VertexSamples):
            self._from_vertices(old)
        elif isinstance(new, VertexSamples) and means:
            self._to_vertices(old)
        else:
            self._from_texels(old)

    # -- how they lie --------------------------------------------------------------------------------------------------------------

    def _by_vertex(self, old: VertexSamples, new: VertexSamples) -> None:
        source = np.full(new.slot_count, -1, np.int64)
        source[new.slot_of_vertex] = old.slot_of_vertex
        slots = np.flatnonzero(new.covered)

        def lay(whole: U16, out: U16) -> None:
            out[:, slots] = whole[:, source[slots]]

        self._lay = lay

    def _from_vertices(self, old: VertexSamples) -> None:
        self._lay = self._mix_corners
        self._spots, self._cells = self._on_vertices(self._new, old)
        self._fill(self._spots.cell)

    def _to_vertices(self, old: SurfaceSamples) -> None:
        new = self._new
        assert isinstance(new, VertexSamples)
        spots, cells = self._on_vertices(old, new)
        self._goal = np.empty(len(spots.cell), np.int32)
        self._each(old, lambda p: nearest_corners(cells, spots.cell[p], spots.st[p], self._goal[p]))
        self._mean_over()

    def _from_texels(self, old: SurfaceSamples) -> None:
        new = self._new
        assert isinstance(old, SheetSamples)
        own = isinstance(new, SheetSamples) and same_faces(old.model, new.model) and same_places(old.model, new.model)
        if isinstance(new, SheetSamples) and own:
            if old.covered_count > MANY * new.covered_count:
                self._goal = self._texels_of(on_own(old, self._workers), new)
                self._mean_over()
                return
            spots = on_own(new, self._workers)
        else:
            spots = on_mesh(new, old.model, self._near_limit)
        self._lay = partial(self._mix_texels, old)
        self._rows = Spots(self._row_of(old)[spots.cell], spots.st)
        self._try_texels(old)
        self._fill(self._rows.cell)

    def _on_vertices(self, of: SurfaceSamples, vertices: VertexSamples) -> tuple[Spots, NDArray[np.int32]]:
        """Where samples lie between vertices, and the cells that the corners are of."""
        if isinstance(of, SheetSamples):
            if same_faces(of.model, vertices.model) and same_places(of.model, vertices.model):
                return on_own(of, self._workers), triangles_as_cells(vertices)
            level = self._level_of(vertices.model)
            if level:
                return self._on_level(of, vertices, level)
        reach = self._near_limit if self._levels is None else LEVEL_REACH * vertices.model.diagonal
        return on_mesh(of, vertices.model, reach), triangles_as_cells(vertices)

    def _on_level(self, of: SheetSamples, vertices: VertexSamples, level: int) -> tuple[Spots, NDArray[np.int32]]:
        spots, squares = on_level(on_own(of, self._workers), of.model, level, self._workers), squares_as_cells(vertices)
        strange = np.flatnonzero(spots.cell == -2)
        if not len(strange):
            return spots, squares
        met = on_mesh(of, vertices.model, LEVEL_REACH * vertices.model.diagonal, strange)
        there = met.cell[strange]
        spots.cell[strange] = np.where(there >= 0, there + len(squares), -1)
        spots.st[strange] = met.st[strange]
        return spots, np.concatenate([squares, triangles_as_cells(vertices)])

    def _level_of(self, model: Model) -> int:
        """The level that a model is of the levels, 0 for none."""
        made = 0 if self._levels is None else self._levels.made
        return next((n for n in range(1, made + 1) if self._levels is not None and self._levels.model(n) is model), 0)

    def _row_of(self, texels: SheetSamples) -> NDArray[np.int32]:
        """(triangles + 1,) int32 row of each of the model's triangles on a sheet, −1 of those of others and behind the last."""
        row = np.full(len(texels.model.triangles) + 1, -1, np.int32)
        # Of a layout that repeats, the place in the middle square comes first.
        row[texels.triangles[::-1]] = np.arange(len(texels.triangles), dtype=np.int32)[::-1]
        return row

    def _texels_of(self, spots: Spots, new: SheetSamples) -> NDArray[np.int32]:
        """(slots,) int32 texel of a sheet at spots on triangles of its model, −1 where it has none."""
        rows, goal = self._row_of(new)[spots.cell], np.full(len(spots.cell), -1, np.int32)

        def fill(part: slice) -> None:
            mine = np.flatnonzero(rows[part] >= 0)
            t, st = rows[part][mine], spots.st[part][mine].astype(np.float64)
            weights = np.stack([1 - st.sum(axis=1), st[:, 0], st[:, 1]], axis=1)
            texel = new.texels_at(np.einsum("nc,nck->nk", weights, new.uv[t].astype(np.float64)))
            slot = slot_at(texel[:, 0], texel[:, 1], new.chunks_across)
            goal[part][mine] = np.where(new.covered[slot], slot, -1)

        self._each(self._old, fill)
        return goal

    def _mean_over(self) -> None:
        """What no old sample goes to has the nearest one."""
        self._lay = self._means
        taken = np.zeros(self._new.slot_count + 1, bool)
        taken[self._goal] = True
        self._bare = self._nearest(np.flatnonzero(self._new.covered & ~taken[:-1]))

    def _try_texels(self, old: SheetSamples) -> None:
        """Find out which spots have a texel of their island near, without taking anything yet."""
        nothing = np.zeros((1, old.slot_count), np.uint16)
        self._each(self._new, lambda p: between_texels(*self._texel_facts(old, p), nothing, np.zeros((1, CHUNK), np.uint16)))

    def _texel_facts(self, old: SheetSamples, part: slice) -> tuple[NDArray[np.int32], ...]:
        return self._rows.cell[part], self._rows.st[part], old.uv, old.owner, old.triangle_islands, old.side  # type: ignore[return-value]

    def _fill(self, cell: NDArray[np.int32]) -> None:
        self._bare = self._nearest(np.flatnonzero(self._new.covered & (cell < 0)))

    def _nearest(self, slots: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """New slots and the old one nearest to each that faces the same way; those that have none within reach are lost."""
        if not len(slots):
            return slots, slots
        near = _Lifted(self._old, max(self._old.spacing, self._new.spacing)).nearest(self._new, slots, self._limit)
        self.lost = slots[near < 0]
        return slots[near >= 0], near[near >= 0]

    def _each(self, samples: SurfaceSamples, work) -> None:  # type: ignore[no-untyped-def]
        self._workers.map(work, [slice(c * CHUNK, (c + 1) * CHUNK) for c in range(samples.chunk_count)])

    # -- values --------------------------------------------------------------------------------------------------------------------

    def values(self, whole: U16) -> U16:
        """(k, new slots) uint16 of (k, old slots), coverage last, straight; nothing where nothing was found."""
        out = np.zeros((len(whole), self._new.slot_count), np.uint16)
        self._lay(whole, out)
        slots, near = self._bare
        out[:, slots] = whole[:, near]
        return out

    def _mix_corners(self, whole: U16, out: U16) -> None:
        def fill(part: slice) -> None:
            found = np.zeros((len(whole), CHUNK), np.uint16)
            between_corners(self._cells, self._spots.cell[part], self._spots.st[part], whole, found)
            out[:, part] = found

        self._each(self._new, fill)

    def _mix_texels(self, old: SheetSamples, whole: U16, out: U16) -> None:
        def fill(part: slice) -> None:
            found = np.zeros((len(whole), CHUNK), np.uint16)
            between_texels(*self._texel_facts(old, part), whole, found)
            out[:, part] = found

        self._each(self._new, fill)

    @lazy
    def _areas(self) -> NDArray[np.float32]:
        """(old slots,) the surface of each old sample that goes somewhere."""
        area = np.zeros(len(self._goal), np.float32)

        def measure(part: slice) -> None:
            going = np.flatnonzero(self._goal[part] >= 0).astype(np.int32)
            area[part][going] = self._old.sample_areas(going + np.int32(part.start))

        self._each(self._old, measure)
        return area

    def _means(self, whole: U16, out: U16) -> None:
        """Means over the samples that go to each slot, by area."""
        total, sums = np.zeros(self._new.slot_count), np.zeros((len(whole), self._new.slot_count))
        for chunk in range(self._old.chunk_count):
            part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
            add_up(self._goal[part], self._areas[part], np.ascontiguousarray(whole[:, part]), total, sums)
        weight = np.maximum(sums[-1], 1e-30)
        for j in range(len(whole) - 1):
            out[j] = np.rint(sums[j] / weight)
        out[-1] = np.rint(sums[-1] / np.maximum(total, 1e-30))


class _Lifted:
    """The nearest of some samples that face the same way: all are moved along their normals first, so that two sides of paper lie apart."""

    def __init__(self, of: SurfaceSamples, height: float) -> None:
        rows = np.flatnonzero(of.covered).astype(np.int32)
        self._height = np.float32(height)
        self._grid = SampleGrid.build(of.positions + of.normals * self._height, of.normals, rows, of.spacing)

    def nearest(self, to: SurfaceSamples, slots: NDArray[np.int64], reach: float) -> NDArray[np.int64]:
        """(n,) the slot nearest to each of the given samples; −1 where there is none within reach."""
        places = (to.positions[slots] + to.normals[slots] * self._height).astype(np.float64)
        return np.asarray(self._grid.nearest(places, float(reach)), np.int64)


def same_faces(a: Model, b: Model) -> bool:
    """Whether two models have the same faces over as many vertices, wherever those lie."""
    same = a.vertex_count == b.vertex_count and np.array_equal(a.face_starts, b.face_starts)
    return a is b or (same and np.array_equal(a.corner_vertex, b.corner_vertex))


def same_places(a: Model, b: Model) -> bool:
    """Whether the vertices of two models lie at the same places."""
    return a is b or (a.positions.shape == b.positions.shape and np.array_equal(a.positions, b.positions))


def same_polygons(a: Model, b: Model) -> bool:
    """Whether two models have the same polygons, those that a layout had to cut taken whole: levels of one are levels of the other."""
    one, other = ((m.polygons.starts, m.polygons.vertex) if m.polygons else (m.face_starts, m.corner_vertex) for m in (a, b))
    return np.array_equal(one[0], other[0]) and np.array_equal(one[1], other[1])
