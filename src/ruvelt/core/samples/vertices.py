"""Vertices of a model as surface samples: the same interface as texels, for vertex paint."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh._row_kernels import sort_by_number
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.topology import face_of_corner
from ruvelt.core.samples._vertex_kernels import corner_sums, first_faces, smooth_sums, third_areas
from ruvelt.core.samples.address import BLOCK, BLOCKS, CHUNK, CHUNK_SIDE
from ruvelt.core.samples.gutter import no_gutter
from ruvelt.core.samples.resolutions import side_for
from ruvelt.core.samples.surface import SurfaceSamples

#: Pixels a side of the view in which vertices are pictured where a sheet would be.
SEEN = 256
#: Steps in which the spacing of vertices is told.
SPACING_STEP = 1.2


class VertexSamples(SurfaceSamples):
    """One sample a vertex, padded to whole chunks; a vertex that no face uses holds no paint.

    They lie along a curve through space, not in file order, so that what a dab touches is few blocks.
    slot_of_vertex : (vertices,) int32; vertex : (slots,) int32, −1 in the padding
    """

    is_sheet = False

    def __init__(self, model: Model, normals: NDArray[np.float32] | None = None, parts: Collection[int] = ()) -> None:
        """normals : (v, 3) float32 as `vertex_normals` has them, where they are known already; parts : only vertices of these hold paint, if any"""
        self.model, self.parts = model, tuple(parts)
        count = model.vertex_count
        self.chunk_count = max(1, -(-count // CHUNK))
        self.chunks_across = side_for(count) // CHUNK_SIDE
        self.screen_gutter, self.gutter_sources = no_gutter(self.chunk_count), {}
        order = model.curve
        self.vertex = np.full(self.slot_count, -1, np.int32)
        self.vertex[:count] = order
        self.slot_of_vertex = slots_in_order(order)
        self.positions = np.zeros((self.slot_count, 3), np.float32)
        self.positions[:count] = model.positions[order]
        self.normals = np.zeros((self.slot_count, 3), np.float32)
        self.normals[:count] = (vertex_normals(model) if normals is None else normals)[order]
        self.face = np.full(self.slot_count, -1, np.int32)
        # The first face that uses a vertex stands for it.
        faces = np.empty(count, np.int32)
        first_faces(model.face_starts, model.corner_vertex, faces)
        if self.parts:
            mine = np.isin(model.face_part, self.parts)[face_of_corner(model)]
            # A vertex where a chosen part meets another holds paint, and a face of its own part stands for it.
            corners = np.flatnonzero(mine)[::-1]
            faces[:] = -1
            faces[model.corner_vertex[corners]] = face_of_corner(model)[corners]
        self.face[:count] = faces[order]

    def area(self) -> float:
        return float(self._areas.sum(dtype=np.float64))

    def sample_areas(self, slots: NDArray[np.int32]) -> NDArray[np.float32]:
        return self._areas[slots]

    @lazy
    def _areas(self) -> NDArray[np.float32]:
        sums = np.zeros(self.slot_count)
        third_areas(self.positions, self.triangles, sums)
        return sums.astype(np.float32)

    @lazy
    def _own_spacing(self) -> NDArray[np.float32]:
        """(slots,) how far apart vertices lie about each: of its surroundings, one ring of triangles wide, in steps of a fifth."""
        spread, count = np.zeros(self.slot_count), np.zeros(self.slot_count)
        mean = self._areas[self.triangles].mean(axis=1)
        for corner in range(3):
            spread += np.bincount(self.triangles[:, corner], mean, self.slot_count)
            count += np.bincount(self.triangles[:, corner], minlength=self.slot_count)
        apart = np.sqrt(spread / np.maximum(count, 1)) / max(self.spacing, 1e-30)
        steps = np.rint(np.log(np.clip(apart, 1 / 8, 8)) / np.log(SPACING_STEP))
        # About as usual is as usual.
        return np.where(np.abs(steps) <= 1, self.spacing, self.spacing * SPACING_STEP**steps).astype(np.float32)

    def spacing_at(self, places: NDArray[np.float32]) -> NDArray[np.float32]:
        """(n,) how far apart the vertices nearest to (n, 3) places lie, object units, in steps of a fifth; the usual where none is near."""
        slots = self.grid.nearest(places.astype(np.float64), 4 * self.spacing)
        return np.where(slots >= 0, self._own_spacing[np.maximum(slots, 0)], np.float32(self.spacing)).astype(np.float32)

    @lazy
    def triangles(self) -> NDArray[np.int32]:
        """(t, 3) int32 slots of the model's triangles."""
        return np.ascontiguousarray(self.slot_of_vertex[self.model.triangles])

    @lazy
    def fans(self) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
        """Which triangles meet at each slot: (slots + 1,) int32 where they begin in the (3 t,) int32 rows of `triangles`."""
        corners = self.triangles.reshape(-1)
        starts, order = np.zeros(self.slot_count + 1, np.int32), np.empty(len(corners), np.int32)
        sort_by_number(corners, starts, order)
        return starts, order // np.int32(3)

    @lazy
    def _met_blocks(self) -> NDArray[np.int64]:
        """(k, 2) int64 pairs of blocks, numbered through all chunks, that an edge joins, each both ways round, ordered."""
        block = self.triangles.astype(np.int64) // BLOCK
        total = self.chunk_count * BLOCKS
        pairs = [block[:, i] * total + block[:, j] for i, j in ((0, 1), (1, 2), (2, 0))]
        apart = np.unique(np.concatenate([p[p // total != p % total] for p in pairs]))
        both = np.unique(np.concatenate([apart, apart % total * total + apart // total]))
        return np.stack([both // total, both % total], axis=1)

    @lazy
    def _beside(self) -> dict[int, list[int]]:
        chunks = np.unique(self._met_blocks // BLOCKS, axis=0)
        found: dict[int, list[int]] = {}
        for a, b in chunks[chunks[:, 0] != chunks[:, 1]].tolist():
            found.setdefault(a, []).append(b)
        return found

    def chunks_beside(self, chunk: int) -> list[int]:
        """Other chunks that hold a vertex which an edge joins with one of this chunk."""
        return self._beside.get(chunk, [])

    def with_neighbours(self, blocks: dict[int, NDArray[np.uint8]]) -> dict[int, NDArray[np.uint8]]:
        """Marked blocks of chunks, (256,) uint8 each, and those with a vertex that an edge joins to one of theirs."""
        marked = np.zeros(self.chunk_count * BLOCKS, np.uint8)
        for chunk, marks in blocks.items():
            marked[chunk * BLOCKS : (chunk + 1) * BLOCKS] = marks
        pairs = self._met_blocks
        marked[pairs[marked[pairs[:, 0]] > 0, 1]] = 1
        rows = marked.reshape(-1, BLOCKS)
        return {int(chunk): rows[chunk].copy() for chunk in np.flatnonzero(rows.any(axis=1))}

    def colours(self, chunk: int) -> NDArray[np.uint16] | None:
        """(4, 65536) uint16 sRGB-encoded colours that the file brought, alpha full; None without any."""
        if self.model.vertex_colors is None:
            return None
        return self.of_vertices(self.model.vertex_colors[:, :3], chunk, lambda v: np.rint(v.astype(np.float64) * 65535))

    def of_vertices(self, values: NDArray[np.float32], chunk: int, coded: Callable[[NDArray[np.float32]], NDArray[Any]]) -> NDArray[np.uint16]:
        """(k + 1, 65536) uint16 of the (v, k) values of vertices in the file's order, as `coded` makes 16-bit codes of them, the last full."""
        vertex = self.vertex[chunk * CHUNK : (chunk + 1) * CHUNK]
        out = np.zeros((values.shape[1] + 1, CHUNK), np.uint16)
        mine = vertex >= 0
        out[:-1, mine] = coded(values[vertex[mine]]).T
        out[-1, mine] = 65535
        return out

    @lazy
    def front(self) -> NDArray[np.int32]:
        """(SEEN, SEEN) int32: the slot that shows at each pixel of a view along −Z that holds the whole model, −1 beside it."""
        low, high = (v.astype(np.float64) for v in self.model.bounds)
        size = max(float((high - low)[:2].max()) * 1.05, 1e-12)
        step = ((np.arange(SEEN) + 0.5) / SEEN - 0.5) * size
        y, x = np.meshgrid((low[1] + high[1]) / 2 - step, (low[0] + high[0]) / 2 + step, indexing="ij")
        origins = np.stack([x.ravel(), y.ravel(), np.full(x.size, high[2] + size)], axis=1)
        hits = RayCaster(self.model).cast(origins, np.tile([0.0, 0.0, -1.0], (len(origins), 1)))
        nearest = self.triangles[hits.triangle, np.argmax(hits.bary, axis=1)]
        return np.asarray(np.where(hits.triangle >= 0, nearest, -1), np.int32).reshape(SEEN, SEEN)

    def slots_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.bool_]:
        found = np.zeros(self.slot_count, bool)
        found[self.slot_of_vertex[self.model.corner_vertex[faces[face_of_corner(self.model)]]]] = True
        return found


def vertex_normals(model: Model, places: NDArray[np.int32] | None = None) -> NDArray[np.float32]:
    """(v, 3) float32 unit normals, smooth over everything that meets at a place; the mean of the file's own where it brought any."""
    if model.file_normals is not None:
        sums = np.zeros((model.vertex_count, 3))
        corner_sums(model.corner_vertex, model.file_normals, sums)
        places = None
    else:
        places = np.asarray(model.welded, np.int32) if places is None else places
        sums = np.zeros((int(places.max(initial=-1)) + 1, 3))
        smooth_sums(model.positions, model.face_starts, model.corner_vertex, places, sums)
    unit = (sums / np.maximum(np.linalg.norm(sums, axis=1, keepdims=True), 1e-20)).astype(np.float32)
    return unit if places is None else unit[places]  # type: ignore[no-any-return]


def slots_in_order(order: NDArray[np.int32]) -> NDArray[np.int32]:
    """(n,) int32 slot of each vertex, for the vertices in the order of their slots."""
    slots = np.empty(len(order), np.int32)
    slots[order] = np.arange(len(order), dtype=np.int32)
    return slots
