"""Quads to triangles in one loop."""
# mypy: disable-error-code="no-untyped-def"

import numba
import numpy as np

from ruvelt.core.kernels import f64_scratch, inline, kernel

f32, i32 = numba.float32, numba.int32


@inline
def _same_side(p, i, j, a, b):
    """Whether the diagonal i–j leaves its two triangles facing the same way."""
    dot = 0.0
    for k in range(3):
        u, v = (k + 1) % 3, (k + 2) % 3
        n1 = (p[j, u] - p[i, u]) * (p[a, v] - p[i, v]) - (p[j, v] - p[i, v]) * (p[a, u] - p[i, u])
        n2 = (p[b, u] - p[i, u]) * (p[j, v] - p[i, v]) - (p[b, v] - p[i, v]) * (p[j, u] - p[i, u])
        dot += n1 * n2
    return dot >= 0.0


@kernel(numba.void(f32[:, ::1], i32[::1], i32[::1], i32[::1], i32[:, ::1]), late=True)
def split_quads(positions, face_starts, corner_vertex, quads, out):
    """Corners of the two triangles of each quad, (2 q, 3): along the shorter diagonal, unless that would leave the quad."""
    p = f64_scratch((4, 3))
    for q in range(len(quads)):
        c = face_starts[quads[q]]
        for i in range(4):
            for k in range(3):
                p[i, k] = np.float64(positions[corner_vertex[c + i], k])
        len02 = (p[0, 0] - p[2, 0]) ** 2 + (p[0, 1] - p[2, 1]) ** 2 + (p[0, 2] - p[2, 2]) ** 2
        len13 = (p[1, 0] - p[3, 0]) ** 2 + (p[1, 1] - p[3, 1]) ** 2 + (p[1, 2] - p[3, 2]) ** 2
        ok02, ok13 = _same_side(p, 0, 2, 3, 1), _same_side(p, 1, 3, 0, 2)
        along02 = len02 <= len13 if ok02 == ok13 else ok02
        out[2 * q, 0], out[2 * q, 1], out[2 * q, 2] = c, c + 1, c + 2 if along02 else c + 3
        out[2 * q + 1, 0], out[2 * q + 1, 1], out[2 * q + 1, 2] = c if along02 else c + 1, c + 2, c + 3
