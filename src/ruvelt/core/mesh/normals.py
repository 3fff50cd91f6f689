"""Corner normals: the file's own, or angle-weighted ones that stay sharp at creases."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._normal_kernels import corner_angles, face_normals, smooth_normals
from ruvelt.core.mesh._row_kernels import sort_by_number
from ruvelt.core.mesh.model import Model
from ruvelt.core.workers import SERIAL, Workers

#: Degrees that faces may differ by more than the crease angle says and still be smooth: a 12-sided pipe is smooth at 30°.
_ROOM = 0.05


def corner_normals(model: Model, workers: Workers = SERIAL) -> NDArray[np.float32]:
    """(c, 3) float32 unit normals, object space, one a corner: the file's own, else as `crease_normals` by the model's crease angle."""
    return model.file_normals if model.file_normals is not None else crease_normals(model, model.crease_deg, workers)


def crease_normals(model: Model, crease_deg: float, workers: Workers = SERIAL) -> NDArray[np.float32]:
    """(c, 3) float32 unit normals, object space, one a corner: smooth between faces that meet at no more than `crease_deg`.

    The cost grows with the corners, whatever meets at one vertex.
    """
    faces = np.zeros((model.face_count, 3))
    face_normals(model.positions, model.triangles, model.triangle_face, faces)
    vertex = model.welded[model.corner_vertex]
    angle, face_of = np.empty(len(vertex)), np.empty(len(vertex), np.int32)
    corner_angles(model.positions, model.face_starts, model.corner_vertex, angle, face_of)
    starts, order = np.zeros(int(vertex.max(initial=-1)) + 2, np.int32), np.empty(len(vertex), np.int32)
    sort_by_number(vertex, starts, order)
    out = np.empty((len(vertex), 3), np.float32)
    crease = float(np.cos(np.radians(min(crease_deg + _ROOM, 180.0))))
    bounds = np.linspace(0, len(starts) - 1, workers.threads + 1).astype(int)
    workers.map(lambda b: smooth_normals(faces, angle, face_of, order, starts, crease, int(b[0]), int(b[1]), out), pairwise(bounds))
    return out
