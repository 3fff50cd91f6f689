"""Vertices of a model as surface samples: the same interface as texels, for vertex paint."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.topology import face_of_corner
from ruvelt.core.samples.chunks import CHUNK
from ruvelt.core.samples.surface import SurfaceSamples


class VertexSamples(SurfaceSamples):
    """One sample a vertex, in file order, padded to whole chunks; a vertex that no face uses holds no paint."""

    square = False

    def __init__(self, model: Model) -> None:
        self.model = model
        count = model.vertex_count
        self.chunk_count = max(1, -(-count // CHUNK))
        self.positions = np.zeros((self.slot_count, 3), np.float32)
        self.positions[:count] = model.positions
        sums = np.zeros((count, 3))
        np.add.at(sums, model.corner_vertex, corner_normals(model).astype(np.float64))
        length = np.linalg.norm(sums, axis=1, keepdims=True)
        self.normals = np.zeros((self.slot_count, 3), np.float32)
        self.normals[:count] = sums / np.maximum(length, 1e-20)
        self.face = np.full(self.slot_count, -1, np.int32)
        # The first face that uses a vertex stands for it.
        self.face[model.corner_vertex[::-1]] = face_of_corner(model)[::-1]

    def area(self) -> float:
        p = self.model.positions[self.model.triangles].astype(np.float64)
        return float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2)

    def sample_areas(self, slots: NDArray[np.int32]) -> NDArray[np.float32]:
        p = self.model.positions[self.model.triangles].astype(np.float64)
        each = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 6
        sums = np.zeros(self.slot_count)
        np.add.at(sums, self.model.triangles, each[:, None])
        return sums[slots].astype(np.float32)

    def slots_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.bool_]:
        found = np.zeros(self.slot_count, bool)
        found[self.model.corner_vertex[faces[face_of_corner(self.model)]]] = True
        return found
