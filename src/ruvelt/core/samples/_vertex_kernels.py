"""Loops over the corners of a mesh that add up what vertices are asked for."""
# mypy: disable-error-code="no-untyped-def"

import numba
import numpy as np

from ruvelt.core.kernels import kernel

f32, f64, i32 = numba.float32, numba.float64, numba.int32


@kernel(numba.void(f32[:, ::1], i32[::1], i32[::1], i32[::1], f64[:, ::1]), late=True)
def smooth_sums(positions, face_starts, corner_vertex, place, sums):
    """Unit normals of the faces around each place, weighed by their angles there (Thürmer and Wüthrich 1998). sums : (places, 3), zeros at first"""
    for f in range(len(face_starts) - 1):
        first, end = face_starts[f], face_starts[f + 1]
        nx, ny, nz = 0.0, 0.0, 0.0
        for c in range(first, end):
            p, q = corner_vertex[c], corner_vertex[c + 1 if c + 1 < end else first]
            px, py, pz = np.float64(positions[p, 0]), np.float64(positions[p, 1]), np.float64(positions[p, 2])
            qx, qy, qz = np.float64(positions[q, 0]), np.float64(positions[q, 1]), np.float64(positions[q, 2])
            # Newell's sum: the area's normal of any polygon.
            nx += (py - qy) * (pz + qz)
            ny += (pz - qz) * (px + qx)
            nz += (px - qx) * (py + qy)
        size = np.sqrt(nx * nx + ny * ny + nz * nz)
        if size <= 0:
            continue
        nx, ny, nz = nx / size, ny / size, nz / size
        for c in range(first, end):
            v = corner_vertex[c]
            a, b = corner_vertex[c + 1 if c + 1 < end else first], corner_vertex[c - 1 if c > first else end - 1]
            ax, ay, az = 0.0 + positions[a, 0] - positions[v, 0], 0.0 + positions[a, 1] - positions[v, 1], 0.0 + positions[a, 2] - positions[v, 2]
            bx, by, bz = 0.0 + positions[b, 0] - positions[v, 0], 0.0 + positions[b, 1] - positions[v, 1], 0.0 + positions[b, 2] - positions[v, 2]
            length = np.sqrt((ax * ax + ay * ay + az * az) * (bx * bx + by * by + bz * bz))
            cosine = (ax * bx + ay * by + az * bz) / max(length, 1e-300)
            angle = np.arccos(min(max(cosine, -1.0), 1.0))
            k = place[v]
            sums[k, 0] += nx * angle
            sums[k, 1] += ny * angle
            sums[k, 2] += nz * angle


@kernel(numba.void(i32[::1], f32[:, ::1], f64[:, ::1]), late=True)
def corner_sums(corner_vertex, values, sums):
    """Sums of (c, 3) values of corners by vertex."""
    for c in range(len(corner_vertex)):
        v = corner_vertex[c]
        for k in range(3):
            sums[v, k] += values[c, k]


@kernel(numba.void(i32[::1], i32[::1], i32[::1]), late=True)
def first_faces(face_starts, corner_vertex, out):
    """The first face that uses each vertex, −1 where none does."""
    for v in range(len(out)):
        out[v] = -1
    for f in range(len(face_starts) - 1):
        for c in range(face_starts[f], face_starts[f + 1]):
            if out[corner_vertex[c]] < 0:
                out[corner_vertex[c]] = f


@kernel(numba.void(f32[:, ::1], i32[:, ::1], f64[::1]), late=True)
def third_areas(positions, triangles, sums):
    """A third of each triangle's area to each of its corners."""
    for t in range(len(triangles)):
        a, b, c = triangles[t, 0], triangles[t, 1], triangles[t, 2]
        ux, uy, uz = 0.0 + positions[b, 0] - positions[a, 0], 0.0 + positions[b, 1] - positions[a, 1], 0.0 + positions[b, 2] - positions[a, 2]
        vx, vy, vz = 0.0 + positions[c, 0] - positions[a, 0], 0.0 + positions[c, 1] - positions[a, 1], 0.0 + positions[c, 2] - positions[a, 2]
        nx, ny, nz = uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx
        area = np.sqrt(nx * nx + ny * ny + nz * nz) / 6
        sums[a] += area
        sums[b] += area
        sums[c] += area
