"""Corner normals: the file's own, or angle-weighted ones that stay sharp at creases."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._normal_kernels import corner_angles, face_normals, smooth_normals
from ruvelt.core.mesh._row_kernels import sort_by_number
from ruvelt.core.mesh.model import Model
from ruvelt.core.tolerances import CREASE_DEG
from ruvelt.core.workers import SERIAL, Workers


def corner_normals(model: Model, workers: Workers = SERIAL) -> NDArray[np.float32]:
    """(c, 3) float32 unit normals, object space, one a corner. The cost grows with the corners, whatever meets at one vertex."""
    if model.file_normals is not None:
        return model.file_normals
    faces = np.zeros((model.face_count, 3))
    face_normals(model.positions, model.triangles, model.triangle_face, faces)
    vertex = model.welded[model.corner_vertex]
    angle, face_of = np.empty(len(vertex)), np.empty(len(vertex), np.int32)
    corner_angles(model.positions, model.face_starts, model.corner_vertex, angle, face_of)
    starts, order = np.zeros(int(vertex.max(initial=-1)) + 2, np.int32), np.empty(len(vertex), np.int32)
    sort_by_number(vertex, starts, order)
    out = np.empty((len(vertex), 3), np.float32)
    crease = float(np.cos(np.radians(CREASE_DEG)))
    bounds = np.linspace(0, len(starts) - 1, workers.threads + 1).astype(int)
    workers.map(lambda b: smooth_normals(faces, angle, face_of, order, starts, crease, int(b[0]), int(b[1]), out), pairwise(bounds))
    return out
