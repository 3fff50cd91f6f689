"""Where a bake measures: points on the low mesh, for the texels of a chunk or the vertices of a run."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake._bake_kernels import texel_points
from ruvelt.core.bake.point_arrays import PlacedPoints, TexelCorners
from ruvelt.core.mesh.model import Model
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.samples.vertices import VertexSamples

F32 = NDArray[np.float32]
T = TypeVar("T")
#: The one place of a texel that is not antialiased.
CENTRE: F32 = np.zeros((1, 2), np.float32)


def chosen(take: NDArray[np.bool_], first: T, second: T) -> T:
    """Of two like records of (n, …) arrays the second's rows where `take` says so."""
    found = {}
    for f in fields(first):  # type: ignore[arg-type]
        a, b = getattr(first, f.name), getattr(second, f.name)
        found[f.name] = a if a is None else np.where(take.reshape(-1, *[1] * (a.ndim - 1)), b, a)
    return type(first)(**found)


@dataclass(frozen=True, eq=False)
class Points:
    """Points of one chunk, all (n, …) and in object space.

    local : int32 place in the chunk; face : int32; position, normal, geometric (the face's own) : (n, 3) float32, unit
    triangle : int32 row of the model's triangles, -1 on vertices; bary : (n, 3) float32 weights of its corners, or None on vertices
    tangent : (n, 4) float32 with the bitangent's sign, or None on vertices
    frame : (n, 5) float32 lengths of the interpolated normal and tangent, and the vertices' bitangent, interpolated, unit; None on vertices
    """

    local: NDArray[np.int32]
    face: NDArray[np.int32]
    position: F32
    normal: F32
    geometric: F32
    triangle: NDArray[np.int32]
    bary: F32 | None
    tangent: F32 | None
    frame: F32 | None = None


def averaged_normals(model: Model) -> F32:
    """(c, 3) float32 corner normals averaged over everything that meets at a place, so that a cage has no gaps at creases."""
    p = model.positions[model.triangles].astype(np.float64)
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    place = model.welded[model.triangles]
    sums = np.zeros((int(place.max()) + 1, 3))
    # Faces of one direction count once, however finely they are cut: weigh by angle, not by area.
    unit = cross / np.maximum(np.linalg.norm(cross, axis=1, keepdims=True), 1e-300)
    for k in range(3):
        a, b = p[:, (k + 1) % 3] - p[:, k], p[:, (k + 2) % 3] - p[:, k]
        size = np.maximum(np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1), 1e-300)
        angle = np.arccos(np.clip(np.einsum("ij,ij->i", a, b) / size, -1, 1))
        np.add.at(sums, place[:, k], unit * angle[:, None])
    length = np.linalg.norm(sums, axis=1, keepdims=True)
    mean = np.where(length > 1e-9, sums / np.maximum(length, 1e-300), [[0.0, 1.0, 0.0]])
    return np.asarray(mean[model.welded[model.corner_vertex]], np.float32)


def border_edges(alike: NDArray[np.int32]) -> NDArray[np.bool_]:
    """(t, 3) bool: whether the edge across from each corner ends an island, a smooth surface or the mesh.

    alike : (t, 3) one number for all corners that are alike in position, normal and UV
    """
    place = alike.astype(np.int64)
    a, b = np.roll(place, -1, axis=1), np.roll(place, -2, axis=1)
    _, which, count = np.unique((np.minimum(a, b) << 32) | np.maximum(a, b), return_inverse=True, return_counts=True)
    return np.asarray(count[which].reshape(place.shape) == 1)


class PointMaker:
    """Makes points for the chunks of a set of samples."""

    def __init__(self, samples: SurfaceSamples) -> None:
        self.samples = samples
        if isinstance(samples, SheetSamples):
            self._borders = border_edges(samples.alike)

    def chunk(self, chunk: int, shifts: F32 = CENTRE, turn: int = 0, pull: float = 0.0) -> Points:
        """Points of a chunk for one of the (k, 2) places in each texel, texels from its centre; on vertices there is but one.

        Places outside the island are left out. Each covered texel has at least one over all turns. `pull`: how far places are drawn off
        the borders of islands and smooth surfaces, as the least share of the corner across; the same places come in the same order.
        """
        samples = self.samples
        if isinstance(samples, SheetSamples):
            return self._texels(samples, chunk, shifts, turn, pull)
        assert isinstance(samples, VertexSamples)
        slots = chunk * CHUNK + np.flatnonzero(samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK])
        normal = np.ascontiguousarray(samples.normals[slots])
        position = np.ascontiguousarray(samples.positions[slots])
        local = (slots - chunk * CHUNK).astype(np.int32)
        return Points(local, samples.face[slots], position, normal, normal, np.full(len(local), -1, np.int32), None, None)

    def _texels(self, samples: SheetSamples, chunk: int, shifts: F32, turn: int, pull: float) -> Points:
        mesh = TexelCorners(samples.owner, samples.uv, samples.triangle_positions, samples.triangle_normals, samples.triangle_tangents)
        pulls, out = np.where(self._borders, np.float32(pull), np.float32(0)), PlacedPoints.room(CHUNK)
        n = int(texel_points(mesh, chunk, samples.side, shifts, turn, pulls, out))
        local, triangle, bary, position, normal, geometric, tangent, frame = out
        rows = np.ascontiguousarray(samples.triangles[triangle[:n]], np.int32)
        face = samples.model.triangle_face[rows]
        return Points(local[:n], face, position[:n], normal[:n], geometric[:n], rows, bary[:n], tangent[:n], frame[:n])
