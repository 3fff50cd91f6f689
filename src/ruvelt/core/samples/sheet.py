"""Texels of a sheet as surface samples."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.mesh.tangents import corner_frames
from ruvelt.core.mesh.topology import islands
from ruvelt.core.samples._gutter_kernels import nearest_in_columns, nearest_in_rows
from ruvelt.core.samples._raster_kernels import fill_samples, mark_overlaps, raster_band, texel_corners
from ruvelt.core.samples._share_kernels import marked_shares
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE, chunk_of
from ruvelt.core.samples.gutter import Gutter
from ruvelt.core.samples.resolutions import RESOLUTIONS
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.tolerances import UV_SLACK
from ruvelt.core.workers import SERIAL, Workers

#: Texels around islands that repeat the nearest island texel on screen; enough for three mip levels.
SCREEN_GUTTER = 8


#: A triangle of a repeating layout is laid down in at most so many squares; a picture that repeats more often is a plain texture.
MOST_SQUARES = 256


def texel_uv(model: Model, plan: SheetPlan, side: int) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    """Triangles of the sheet and their corners in texel space: (t,) int32 and (t, 3, 2) float32, x right, y down.

    Where the layout repeats, a triangle is there once for each square that it reaches into.
    """
    mine = np.zeros(model.face_count, bool)
    mine[plan.faces] = True
    triangles = np.flatnonzero(mine[model.triangle_face]).astype(np.int32)
    layout = model.uv_layouts[0]
    texels = np.empty((len(triangles), 3, 2), np.float32)
    index = np.ascontiguousarray(layout.corner_uv[model.triangle_corners[triangles]])
    uvs = np.ascontiguousarray(layout.uvs, np.float32).reshape(-1, 1, 2)
    # Faces without area own no texel: nothing could be measured or painted there.
    index[_without_area(model, triangles)] = -1
    if plan.squares is None:
        texel_corners(uvs, side, np.array(plan.tile, np.float64), index, texels)
        return triangles, texels
    return _repeated(model, plan, side, triangles, index)


def _without_area(model: Model, triangles: NDArray[np.int32]) -> NDArray[np.bool_]:
    """(t,) bool: triangles whose corners lie on a line in space."""
    p = model.positions[model.triangles[triangles]]
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    size = np.maximum(np.abs(a).max(axis=1), np.abs(b).max(axis=1))
    with np.errstate(invalid="ignore"):
        return np.asarray(np.abs(np.cross(a, b)).max(axis=1) <= np.float32(1e-7) * size**2)


def _repeated(
    model: Model, plan: SheetPlan, side: int, triangles: NDArray[np.int32], index: NDArray[np.int32]
) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    squares = plan.offsets(model.face_count)[model.triangle_face[triangles]].astype(np.float64)
    uv = np.where((index >= 0)[..., None], model.uv_layouts[0].uvs[np.maximum(index, 0)], np.nan).astype(np.float64) - squares[:, None]
    known = np.nan_to_num(uv)
    first = np.floor(known.min(axis=1) + UV_SLACK).astype(np.int64)
    reach = np.maximum(np.ceil(known.max(axis=1) - UV_SLACK).astype(np.int64) - first, 1)
    # However far a file's layout reaches, it takes no more than a few times the memory of one that does not repeat.
    most = MOST_SQUARES if np.minimum(reach.prod(axis=1), MOST_SQUARES).sum() <= 4 * len(triangles) + 1_000_000 else 4
    wide = reach.prod(axis=1) > most
    first[wide], reach[wide] = 0, 1
    count = reach.prod(axis=1)
    row = np.repeat(np.arange(len(triangles)), count)
    nth = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
    moved = first[row] + np.stack([nth % reach[row, 0], nth // reach[row, 0]], axis=1)
    # What lies in the middle square goes before what comes in from the others.
    order = np.argsort((moved != 0).any(axis=1), kind="stable")
    row, moved = row[order], moved[order]
    local = uv[row] - moved[:, None]
    texels = np.stack([local[..., 0], 1 - local[..., 1]], axis=-1) * side
    return triangles[row], np.ascontiguousarray(texels, np.float32)


def raster(model: Model, plan: SheetPlan, side: int, workers: Workers = SERIAL) -> NDArray[np.int32]:
    """(slots,) int32: row in the sheet's triangle list that owns each texel, -1 where none touches it."""
    return _raster(texel_uv(model, plan, side)[1], side, workers)[0]


def _bands(side: int, workers: Workers) -> list[tuple[int, int]]:
    step = max(CHUNK_SIDE, side // max(4 * workers.threads, 1) // CHUNK_SIDE * CHUNK_SIDE)
    return [(y, min(y + step, side)) for y in range(0, side, step)]


def _raster(uv: NDArray[np.float32], side: int, workers: Workers) -> tuple[NDArray[np.int32], NDArray[np.float32]]:
    owner = np.full(side * side, -1, np.int32)
    gap = np.full(side * side, np.inf, np.float32)
    ids = np.arange(len(uv), dtype=np.int32)

    def lay(band: tuple[int, int]) -> None:
        left = np.full((band[1] - band[0]) // 16 * (side // 16), 256, np.int16)
        raster_band(uv, ids, side, band[0], band[1], owner, gap, left)

    workers.map(lay, _bands(side, workers))
    return owner, gap


def overlap_faces(model: Model, plan: SheetPlan, side: int) -> NDArray[np.int32]:
    """Faces of the sheet that share the inside of a texel with another face, measured at `side` texels."""
    triangles, uv = texel_uv(model, plan, side)
    owner, gap = _raster(uv, side, SERIAL)
    marks = np.zeros(len(uv), np.uint8)
    mark_overlaps(uv, side, owner, gap, marks, np.zeros(side * side // 16, np.uint8))
    return np.unique(model.triangle_face[triangles[marks > 0]]).astype(np.int32)


class SheetSamples(SurfaceSamples):
    """The texels of one sheet that touch an island.

    side : texels a side; owner : (slots,) int32 row of the sheet's triangle list; triangles : (t,) int32 rows of the model's triangles
    uv : (t, 3, 2) float32 texel space, y down
    """

    is_sheet = True

    def __init__(self, model: Model, plan: SheetPlan, side: int, workers: Workers = SERIAL, owner: NDArray[np.int32] | None = None) -> None:
        if side not in RESOLUTIONS:
            raise InputError(f"A sheet cannot have {side} texels a side. Choose one of {', '.join(map(str, RESOLUTIONS))}.")
        self.model, self.plan, self.side = model, plan, side
        self.triangles, self.uv = texel_uv(model, plan, side)
        if owner is not None:
            self.owner = owner
        self.chunks_across = side // CHUNK_SIDE
        self.chunk_count = self.chunks_across**2
        self._workers = workers

    @lazy
    def owner(self) -> NDArray[np.int32]:
        """Laid out at first use: pictures that are kept can be shown without it."""
        return _raster(self.uv, self.side, self._workers)[0]

    @lazy
    def _filled(self) -> tuple[NDArray[np.float32], NDArray[np.float32], NDArray[np.int32]]:
        positions = np.zeros((self.slot_count, 3), np.float32)
        normals = np.zeros((self.slot_count, 3), np.float32)
        face = np.empty(self.slot_count, np.int32)
        face_of = self.model.triangle_face[self.triangles]
        corners, corner_nrm = self.triangle_positions, self.triangle_normals

        def fill(chunk: int) -> None:
            fill_samples(self.owner, self.uv, corners, corner_nrm, face_of, self.side, chunk * CHUNK, (chunk + 1) * CHUNK, positions, normals, face)

        self._workers.map(fill, range(self.chunk_count))
        return positions, normals, face

    @property
    def positions(self) -> NDArray[np.float32]:  # type: ignore[override]
        return self._filled[0]

    @property
    def normals(self) -> NDArray[np.float32]:  # type: ignore[override]
        return self._filled[1]

    @property
    def face(self) -> NDArray[np.int32]:  # type: ignore[override]
        return self._filled[2]

    @lazy
    def covered(self) -> NDArray[np.bool_]:
        return self.owner >= 0

    @lazy
    def triangle_positions(self) -> NDArray[np.float32]:
        """(t, 3, 3) float32, object space."""
        return np.ascontiguousarray(self.model.positions[self.model.triangles[self.triangles]])

    @lazy
    def triangle_normals(self) -> NDArray[np.float32]:
        """(t, 3, 3) float32 corner normals, object space."""
        return np.ascontiguousarray(corner_normals(self.model, self._workers)[self.model.triangle_corners[self.triangles]])

    @lazy
    def _frames(self) -> tuple[NDArray[np.float32], NDArray[np.int32]]:
        up = np.stack([self.uv[..., 0] / self.side, 1 - self.uv[..., 1] / self.side], axis=-1)
        return corner_frames(self.triangle_positions, self.triangle_normals, up.astype(np.float32), self._workers)

    @property
    def triangle_tangents(self) -> NDArray[np.float32]:
        """(t, 3, 4) float32 MikkTSpace tangents with the bitangent's sign."""
        return self._frames[0]

    @property
    def alike(self) -> NDArray[np.int32]:
        """(t, 3) int32: one number for all corners that are alike in position, normal and UV."""
        return self._frames[1]

    def texels_at(self, places: NDArray[np.floating]) -> NDArray[np.int64]:
        """(n, 2) int64 column and row of places in texel space: the nearest of the square, or where a repeating layout comes back to."""
        at = np.nan_to_num(places)
        if self.plan.squares is not None:
            at = np.mod(at, self.side)
        return np.asarray(np.clip(at, 0, self.side - 1), np.int64)

    def area(self) -> float:
        p = self.triangle_positions.astype(np.float64)
        return float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2)

    @lazy
    def _texel_area(self) -> NDArray[np.float32]:
        """(t,) surface that a texel of each triangle stands for."""
        p, q = self.triangle_positions.astype(np.float64), np.nan_to_num(self.uv.astype(np.float64))
        surface = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1)
        a, b = q[:, 1] - q[:, 0], q[:, 2] - q[:, 0]
        texels = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
        # Slivers of the layout have no texels to speak of; they count as the sheet's usual texel does.
        return np.where(texels > 1e-3, surface / np.maximum(texels, 1e-3), self.spacing**2).astype(np.float32)

    def sample_areas(self, slots: NDArray[np.int32]) -> NDArray[np.float32]:
        found: NDArray[np.float32] = self._texel_area[self.owner[slots]]
        return found

    def slots_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.bool_]:
        table = np.concatenate([faces[self.model.triangle_face[self.triangles]], [False]])
        found: NDArray[np.bool_] = table[self.owner]
        return found

    def share_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.float32]:
        """(slots,) float32 0–1: the share of each texel's square that marked faces cover, of what its island covers there: edges without stairs."""
        marked = np.ascontiguousarray(faces[self.model.triangle_face[self.triangles]], np.uint8)
        if not marked.any():
            return np.zeros(self.slot_count, np.float32)
        shares = np.empty(self.slot_count, np.float32)

        def fill(chunk: int) -> None:
            part = shares[chunk * CHUNK : (chunk + 1) * CHUNK]
            marked_shares(chunk, self.side, self.owner, marked, self.triangle_islands, self.uv, part)

        self._workers.map(fill, range(self.chunk_count))
        return shares

    @lazy
    def triangle_islands(self) -> NDArray[np.int32]:
        """(t,) int32 island of each triangle."""
        return np.ascontiguousarray(islands(self.model, self.model.uv_layouts[0])[self.model.triangle_face[self.triangles]])

    def gutter(self, reach: int | None) -> Gutter:
        """Texels whose nearest island texel lies within `reach` texels (None: all there are), and that texel, which each repeats."""
        if reach == 0:
            return Gutter(np.zeros(0, np.int32), np.zeros(0, np.int32), np.zeros(self.chunk_count + 1, np.int64))
        side, bands = self.side, _bands(self.side, self._workers)
        rows = np.empty((side, side), np.int16)
        self._workers.map(lambda band: nearest_in_columns(self.owner, side, *band, rows), bands)
        limit = 2 * side**2 if reach is None else reach * (reach + 1)

        def look(band: tuple[int, int]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
            room = (band[1] - band[0]) * side
            dst, src = np.empty(room, np.int32), np.empty(room, np.int32)
            count = nearest_in_rows(self.owner, side, *band, limit, rows, dst, src)
            return dst[:count].copy(), src[:count].copy()

        found = self._workers.map(look, bands)
        dst, src = np.concatenate([d for d, _ in found]), np.concatenate([s for _, s in found])
        order = np.argsort(chunk_of(src), kind="stable")
        dst, src = dst[order], src[order]
        start = np.searchsorted(chunk_of(src), np.arange(self.chunk_count + 1))
        return Gutter(dst, src, start.astype(np.int64))

    @lazy
    def screen_gutter(self) -> Gutter:  # type: ignore[override]
        return self.gutter(SCREEN_GUTTER)

    @lazy
    def gutter_sources(self) -> Mapping[int, tuple[int, ...]]:
        """For each chunk the other chunks its screen gutter repeats; may be set to what is known from before."""
        return self.screen_gutter.sources_of

    def to_image(self, slots: NDArray[np.generic]) -> NDArray[np.generic]:
        """(slots, …) chunk order to (side, side, …) rows of texels, top row first."""
        n = self.chunks_across
        tail = slots.shape[1:]
        blocks = slots.reshape(n, n, CHUNK_SIDE, CHUNK_SIDE, *tail)
        return np.ascontiguousarray(blocks.swapaxes(1, 2).reshape(self.side, self.side, *tail))

    def from_image(self, image: NDArray[np.generic]) -> NDArray[np.generic]:
        """The inverse of `to_image`."""
        n = self.chunks_across
        tail = image.shape[2:]
        blocks = image.reshape(n, CHUNK_SIDE, n, CHUNK_SIDE, *tail).swapaxes(1, 2)
        return np.ascontiguousarray(blocks.reshape(self.slot_count, *tail))

    def texel_to_slot(self, x: int, y: int) -> int:
        """Slot of the texel in column x, row y (from the top)."""
        return ((y // CHUNK_SIDE) * self.chunks_across + x // CHUNK_SIDE) * CHUNK + (y % CHUNK_SIDE) * CHUNK_SIDE + x % CHUNK_SIDE
