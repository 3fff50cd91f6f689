"""Loops of corner normals: face normals, angles, and the mean over what is smooth around a vertex."""
# mypy: disable-error-code="no-untyped-def, assignment"

import numba
import numpy as np

from ruvelt.core.kernels import f64_scratch, i64_scratch, inline, kernel

f32, f64, i32, i64 = numba.float32, numba.float64, numba.int32, numba.int64
#: Faces around one vertex that are compared pair by pair; around busier ones they are gathered by direction first.
PAIRWISE = 256
#: Directions told apart around a busier vertex, at most.
DIRECTIONS = 512


@kernel(numba.void(f32[:, ::1], i32[:, ::1], i32[::1], f64[:, ::1]), late=True)
def face_normals(positions, triangles, triangle_face, out):
    """Unit normals of faces from the areas of their triangles; `out`: (f, 3) filled with 0. A face without area looks up."""
    for t in range(len(triangles)):
        a, b, c, f = triangles[t, 0], triangles[t, 1], triangles[t, 2], triangle_face[t]
        ux = np.float64(positions[b, 0]) - np.float64(positions[a, 0])
        uy = np.float64(positions[b, 1]) - np.float64(positions[a, 1])
        uz = np.float64(positions[b, 2]) - np.float64(positions[a, 2])
        vx = np.float64(positions[c, 0]) - np.float64(positions[a, 0])
        vy = np.float64(positions[c, 1]) - np.float64(positions[a, 1])
        vz = np.float64(positions[c, 2]) - np.float64(positions[a, 2])
        out[f, 0] += uy * vz - uz * vy
        out[f, 1] += uz * vx - ux * vz
        out[f, 2] += ux * vy - uy * vx
    for f in range(len(out)):
        length = np.sqrt(out[f, 0] ** 2 + out[f, 1] ** 2 + out[f, 2] ** 2)
        if length > 0:
            for k in range(3):
                out[f, k] /= max(length, 1e-300)
        else:
            out[f, 0], out[f, 1], out[f, 2] = 0.0, 1.0, 0.0


@inline
def _offset(positions, here, there, out):
    for k in range(3):
        out[k] = np.float64(positions[there, k]) - np.float64(positions[here, k])
    return np.sqrt(out[0] ** 2 + out[1] ** 2 + out[2] ** 2)


@kernel(numba.void(f32[:, ::1], i32[::1], i32[::1], f64[::1], i32[::1]), late=True)
def corner_angles(positions, face_starts, corner_vertex, out, face_of):
    """Angle of the polygon at each corner, radians, and the face of each corner."""
    a, b = f64_scratch(3), f64_scratch(3)
    for f in range(len(face_starts) - 1):
        first, last = face_starts[f], face_starts[f + 1] - 1
        for c in range(first, last + 1):
            face_of[c] = f
            here = corner_vertex[c]
            la = _offset(positions, here, corner_vertex[c + 1 if c < last else first], a)
            lb = _offset(positions, here, corner_vertex[c - 1 if c > first else last], b)
            cosine = (a[0] * b[0] + a[1] * b[1] + a[2] * b[2]) / max(la * lb, 1e-300)
            out[c] = np.arccos(min(max(cosine, -1.0), 1.0))


@inline
def _write(out, c, x, y, z, face_normal, f):
    n = (x * x + y * y + z * z) ** 0.5
    if n > 0:
        out[c, 0], out[c, 1], out[c, 2] = x / n, y / n, z / n
    else:
        out[c, 0], out[c, 1], out[c, 2] = face_normal[f, 0], face_normal[f, 1], face_normal[f, 2]


@kernel(numba.void(f64[:, ::1], f64[::1], i32[::1], i32[::1], i32[::1], f64, i64, i64, f32[:, ::1]), late=True)
def smooth_normals(face_normal, angle, face_of, order, starts, cos_crease, begin, end, out):
    """Normals of the corners around vertices begin … end.

    Each is the angle-weighted mean over the faces around the vertex that meet the corner's own within the crease.
    """
    direction, weight, kind = f64_scratch((DIRECTIONS, 3)), f64_scratch(DIRECTIONS), i64_scratch(1)
    for v in range(begin, end):
        first, last = starts[v], starts[v + 1]
        if last - first > PAIRWISE:
            _busy(face_normal, angle, face_of, order, first, last, cos_crease, out, direction, weight, kind)
            continue
        for i in range(first, last):
            c = order[i]
            f = face_of[c]
            x = y = z = 0.0
            for j in range(first, last):
                d = order[j]
                g = face_of[d]
                dot = face_normal[f, 0] * face_normal[g, 0] + face_normal[f, 1] * face_normal[g, 1] + face_normal[f, 2] * face_normal[g, 2]
                if dot >= cos_crease or g == f:
                    x += face_normal[g, 0] * angle[d]
                    y += face_normal[g, 1] * angle[d]
                    z += face_normal[g, 2] * angle[d]
            _write(out, c, x, y, z, face_normal, f)


@inline
def _busy(face_normal, angle, face_of, order, first, last, cos_crease, out, direction, weight, kind):
    """The same around a vertex of very many faces: their normals, weighed by angle, are gathered into no more than DIRECTIONS ones.

    The first normal to come leads a direction; others join the nearest within a tenth of a radian, or once there is no room the nearest.
    """
    kind[0] = 0
    for i in range(first, last):
        d = order[i]
        g = face_of[d]
        best, near = -1, -2.0
        for k in range(kind[0]):
            w = max(weight[k], 1e-300)
            dot = (direction[k, 0] * face_normal[g, 0] + direction[k, 1] * face_normal[g, 1] + direction[k, 2] * face_normal[g, 2]) / w
            if dot > near:
                best, near = k, dot
        if (best < 0 or near < 0.995) and kind[0] < DIRECTIONS:
            best = kind[0]
            direction[best, 0] = direction[best, 1] = direction[best, 2] = weight[best] = 0.0
            kind[0] += 1
        for k in range(3):
            direction[best, k] += face_normal[g, k] * angle[d]
        weight[best] += angle[d]
    for i in range(first, last):
        c = order[i]
        f = face_of[c]
        x, y, z = face_normal[f, 0] * angle[c], face_normal[f, 1] * angle[c], face_normal[f, 2] * angle[c]
        for k in range(kind[0]):
            w = max(weight[k], 1e-300)
            dot = (direction[k, 0] * face_normal[f, 0] + direction[k, 1] * face_normal[f, 1] + direction[k, 2] * face_normal[f, 2]) / w
            if dot >= cos_crease:
                x += direction[k, 0]
                y += direction[k, 1]
                z += direction[k, 2]
        _write(out, c, x, y, z, face_normal, f)
