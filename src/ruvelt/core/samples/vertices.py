"""Vertices of a model as surface samples: the same interface as texels, for vertex paint."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.topology import face_of_corner
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.surface import SurfaceSamples


class VertexSamples(SurfaceSamples):
    """One sample a vertex, padded to whole chunks; a vertex that no face uses holds no paint.

    They lie along a curve through space, not in file order, so that what a dab touches is few blocks.
    slot_of_vertex : (vertices,) int32; vertex : (slots,) int32, −1 in the padding
    """

    is_sheet = False

    def __init__(self, model: Model) -> None:
        self.model = model
        count = model.vertex_count
        self.chunk_count = max(1, -(-count // CHUNK))
        order = along_curve(model.positions)
        self.vertex = np.full(self.slot_count, -1, np.int32)
        self.vertex[:count] = order
        self.slot_of_vertex = np.empty(count, np.int32)
        self.slot_of_vertex[order] = np.arange(count, dtype=np.int32)
        self.positions = np.zeros((self.slot_count, 3), np.float32)
        self.positions[:count] = model.positions[order]
        sums = np.zeros((count, 3))
        np.add.at(sums, model.corner_vertex, corner_normals(model).astype(np.float64))
        length = np.linalg.norm(sums, axis=1, keepdims=True)
        self.normals = np.zeros((self.slot_count, 3), np.float32)
        self.normals[:count] = (sums / np.maximum(length, 1e-20))[order]
        self.face = np.full(self.slot_count, -1, np.int32)
        # The first face that uses a vertex stands for it.
        self.face[self.slot_of_vertex[model.corner_vertex[::-1]]] = face_of_corner(model)[::-1]

    def area(self) -> float:
        p = self.model.positions[self.model.triangles].astype(np.float64)
        return float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2)

    def sample_areas(self, slots: NDArray[np.int32]) -> NDArray[np.float32]:
        return self._areas[slots]

    @lazy
    def _areas(self) -> NDArray[np.float32]:
        p = self.model.positions[self.model.triangles].astype(np.float64)
        each = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 6
        sums = np.zeros(self.slot_count)
        np.add.at(sums, self.slot_of_vertex[self.model.triangles], each[:, None])
        return sums.astype(np.float32)

    def slots_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.bool_]:
        found = np.zeros(self.slot_count, bool)
        found[self.slot_of_vertex[self.model.corner_vertex[faces[face_of_corner(self.model)]]]] = True
        return found


def along_curve(positions: NDArray[np.float32]) -> NDArray[np.int64]:
    """(n,) indices of (n, 3) places in the order of a Z-curve (Morton 1966) over their box, 1024 steps each way; equal ones as they came."""
    if not len(positions):
        return np.zeros(0, np.int64)
    low = positions.min(axis=0)
    extent = max(float((positions.max(axis=0) - low).max()), 1e-30)
    code = np.zeros(len(positions), np.int64)
    for axis in range(3):
        bits = np.clip((positions[:, axis] - low[axis]) * (1023 / extent), 0, 1023).astype(np.int64)
        # Two empty bits after each.
        for shift, mask in ((16, 0x030000FF), (8, 0x0300F00F), (4, 0x030C30C3), (2, 0x09249249)):
            bits = (bits | (bits << shift)) & mask
        code |= bits << axis
    return np.argsort(code, kind="stable")
