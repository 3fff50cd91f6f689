"""Corner normals: the file's own, or angle-weighted ones that stay sharp at creases."""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import kernel
from ruvelt.core.mesh.model import Model
from ruvelt.core.tolerances import CREASE_DEG


def corner_normals(model: Model) -> NDArray[np.float32]:
    """(c, 3) float32 unit normals, object space, one a corner."""
    if model.file_normals is not None:
        return model.file_normals
    p = model.positions[model.triangles].astype(np.float64)
    cross = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    face_normal = np.zeros((model.face_count, 3))
    np.add.at(face_normal, model.triangle_face, cross)
    length = np.linalg.norm(face_normal, axis=1, keepdims=True)
    face_normal = np.where(length > 0, face_normal / np.maximum(length, 1e-300), [0.0, 1.0, 0.0])
    vertex = model.welded[model.corner_vertex]
    order = np.argsort(vertex, kind="stable").astype(np.int32)
    starts = np.searchsorted(vertex[order], np.arange(int(vertex.max()) + 2)).astype(np.int32)
    face_of = np.repeat(np.arange(model.face_count, dtype=np.int32), np.diff(model.face_starts))
    out = np.empty((len(vertex), 3), np.float32)
    _smooth(face_normal, _corner_angles(model), face_of, order, starts, float(np.cos(np.radians(CREASE_DEG))), out)
    return out


def _corner_angles(model: Model) -> NDArray[np.float64]:
    """(c,) float64 angle of the polygon at each corner, radians."""
    sizes = np.diff(model.face_starts)
    start = np.repeat(model.face_starts[:-1], sizes)
    size = np.repeat(sizes, sizes)
    local = np.arange(len(model.corner_vertex)) - start
    p = model.positions.astype(np.float64)
    here = p[model.corner_vertex]
    a = p[model.corner_vertex[start + (local + 1) % size]] - here
    b = p[model.corner_vertex[start + (local - 1) % size]] - here
    cosine = np.einsum("ij,ij->i", a, b) / np.maximum(np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1), 1e-300)
    angles: NDArray[np.float64] = np.arccos(np.clip(cosine, -1, 1))
    return angles


@kernel(
    numba.void(numba.float64[:, ::1], numba.float64[::1], numba.int32[::1], numba.int32[::1], numba.int32[::1], numba.float64, numba.float32[:, ::1]),
    late=True,
)
def _smooth(face_normal, angle, face_of, order, starts, cos_crease, out):  # type: ignore[no-untyped-def]
    for v in range(len(starts) - 1):
        for i in range(starts[v], starts[v + 1]):
            c = order[i]
            f = face_of[c]
            x = y = z = 0.0
            for j in range(starts[v], starts[v + 1]):
                d = order[j]
                g = face_of[d]
                dot = face_normal[f, 0] * face_normal[g, 0] + face_normal[f, 1] * face_normal[g, 1] + face_normal[f, 2] * face_normal[g, 2]
                if dot >= cos_crease or g == f:
                    x += face_normal[g, 0] * angle[d]
                    y += face_normal[g, 1] * angle[d]
                    z += face_normal[g, 2] * angle[d]
            n = (x * x + y * y + z * z) ** 0.5
            if n > 0:
                out[c, 0], out[c, 1], out[c, 2] = x / n, y / n, z / n
            else:
                out[c, 0], out[c, 1], out[c, 2] = face_normal[f, 0], face_normal[f, 1], face_normal[f, 2]
