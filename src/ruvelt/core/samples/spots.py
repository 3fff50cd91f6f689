"""Where samples lie on the faces of a mesh: on their own, on a level of it, or on another mesh."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.samples._spot_kernels import level_spots, own_spots
from ruvelt.core.samples.address import CHUNK, CHUNK_SIDE
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples
from ruvelt.core.workers import SERIAL, Workers

#: Points looked for together.
BLOCK = 1 << 20


class Spots(NamedTuple):
    """Places on faces, one for each slot of some samples.

    cell : (slots,) int32 the face, −1 where there is no sample or no face; st : (slots, 2) float32 weights of a triangle's second and third
    corner, or how far along a square's first side and away from it
    """

    cell: NDArray[np.int32]
    st: NDArray[np.float32]


def on_own(texels: SheetSamples, workers: Workers = SERIAL) -> Spots:
    """Texels on triangles of their own model."""
    cell, st = np.empty(texels.slot_count, np.int32), np.zeros((texels.slot_count, 2), np.float32)
    owner = texels.owner

    def fill(chunk: int) -> None:
        part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
        x, y = chunk % texels.chunks_across * CHUNK_SIDE, chunk // texels.chunks_across * CHUNK_SIDE
        own_spots(owner[part], texels.uv, x, y, texels.triangles, cell[part], st[part])

    workers.map(fill, range(texels.chunk_count))
    return Spots(cell, st)


def on_level(spots: Spots, model: Model, level: int, workers: Workers = SERIAL) -> Spots:
    """Spots on triangles of a model, turned in place into those on the squares of a level of it (from 1), by their place in the polygons.

    Cells are the level's faces; −2 where a polygon has more than four corners, whose squares no formula tells.
    """
    polygon = _polygons(model)

    def turn(chunk: int) -> None:
        part = slice(chunk * CHUNK, (chunk + 1) * CHUNK)
        level_spots(polygon, level, spots.cell[part], spots.st[part])

    workers.map(turn, range(len(spots.cell) // CHUNK))
    return spots


def _polygons(model: Model) -> NDArray[np.int32]:
    """(triangles, 5) int32: the first corner of each one's polygon, how many that has, and which of them the triangle's corners are.

    Polygons are those that a file had, whatever a layout had to cut of them; one that has a vertex twice is told as one of five corners.
    """
    face = model.triangle_face
    if model.polygons is None:
        first, count = model.face_starts[face], np.diff(model.face_starts)[face]
        return np.ascontiguousarray(np.concatenate([first[:, None], count[:, None], model.triangle_corners - first[:, None]], axis=1), np.int32)
    whole = model.polygons
    # Pieces come one after the other in the place of what they were cut from.
    of = np.searchsorted(whole.face, face, side="right") - 1
    first, count = whole.starts[of], np.diff(whole.starts)[of]
    found = np.full((len(face), 3), -1, np.int32)
    for k in range(4):
        corner = whole.vertex[np.minimum(first + k, len(whole.vertex) - 1)]
        met = (model.triangles == corner[:, None]) & (k < count)[:, None]
        found = np.where(met & (found < 0), np.int32(k), found)
    strange = (found < 0).any(axis=1) | (np.sort(found, axis=1)[:, 1:] == np.sort(found, axis=1)[:, :-1]).any(axis=1)
    return np.ascontiguousarray(np.concatenate([first[:, None], np.where(strange, 5, count)[:, None], found], axis=1), np.int32)


def on_mesh(samples: SurfaceSamples, model: Model, reach: float, slots: NDArray[np.int64] | None = None) -> Spots:
    """Samples on triangles of another mesh: the nearest surface along their normals, out or in, within `reach`, that faces as they do.

    slots : those that are asked for, None for all; −1 for the others
    """
    cell, st = np.full(samples.slot_count, -1, np.int32), np.zeros((samples.slot_count, 2), np.float32)
    asked = np.flatnonzero(samples.covered) if slots is None else slots
    caster = RayCaster(model)
    for begin in range(0, len(asked), BLOCK):
        part = asked[begin : begin + BLOCK]
        cell[part], st[part] = along_normals(samples.positions[part], samples.normals[part], caster, reach, model.diagonal)
    return Spots(cell, st)


def along_normals(places: NDArray[np.float32], normals: NDArray[np.float32], caster: RayCaster, reach: float, diagonal: float) -> Spots:
    """Where (n, 3) places meet a mesh along their unit normals, out or in: the nearest within reach that faces as they do, −1 for none."""
    at, along = places.astype(np.float64), normals.astype(np.float64)
    lift = 1e-5 * diagonal
    cell, st, nearest = np.full(len(at), -1, np.int32), np.zeros((len(at), 2), np.float32), np.full(len(at), float(reach))
    for way in (-1.0, 1.0):
        hits = caster.cast(at - way * lift * along, way * along)
        far = np.abs(hits.distance - lift)
        met = (hits.triangle >= 0) & (far < nearest) & (np.einsum("ij,ij->i", hits.normal, along) > 0)
        nearest[met] = far[met]
        cell[met], st[met] = hits.triangle[met], hits.bary[met, 1:]
    return Spots(cell, st)


def triangles_as_cells(vertices: VertexSamples) -> NDArray[np.int32]:
    """(t, 4) int32 slots of the corners of triangles, the last −1."""
    return np.concatenate([vertices.triangles, np.full((len(vertices.triangles), 1), -1, np.int32)], axis=1)


def squares_as_cells(vertices: VertexSamples) -> NDArray[np.int32]:
    """(f, 4) int32 slots of the corners of a level's faces, all of which have four."""
    return np.ascontiguousarray(vertices.slot_of_vertex[vertices.model.corner_vertex.reshape(-1, 4)])
