"""Loops of MikkTSpace: tangents of triangles, corners that share one, and their mean."""
# mypy: disable-error-code="no-untyped-def, assignment"

import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel
from ruvelt.core.mesh._row_kernels import root_of

f32, f64, i32, i64, flag = numba.float32, numba.float64, numba.int32, numba.int64, numba.boolean
#: Columns of a triangle's traits: its UV winding is positive; it has no usable UV area and follows its neighbours.
KEEP, BLANK = 0, 1
#: Partners that an edge looks at: surfaces have one, and an edge of thousands of faces must not cost millions of looks.
PARTNERS = 128


@inline
def _less(a, b):
    return np.float64(a) - np.float64(b)


@kernel(numba.void(f32[:, :, ::1], f32[:, :, ::1], f64[:, ::1], flag[:, ::1]), late=True)
def triangle_tangents(pos, uvs, tangent, traits):
    """Unit tangents of triangles, (t, 3), zero where there is none, and their traits (t, 2)."""
    for t in range(len(pos)):
        t21x, t21y = _less(uvs[t, 1, 0], uvs[t, 0, 0]), _less(uvs[t, 1, 1], uvs[t, 0, 1])
        t31x, t31y = _less(uvs[t, 2, 0], uvs[t, 0, 0]), _less(uvs[t, 2, 1], uvs[t, 0, 1])
        area = t21x * t31y - t21y * t31x
        x = t31y * _less(pos[t, 1, 0], pos[t, 0, 0]) - t21y * _less(pos[t, 2, 0], pos[t, 0, 0])
        y = t31y * _less(pos[t, 1, 1], pos[t, 0, 1]) - t21y * _less(pos[t, 2, 1], pos[t, 0, 1])
        z = t31y * _less(pos[t, 1, 2], pos[t, 0, 2]) - t21y * _less(pos[t, 2, 2], pos[t, 0, 2])
        length = (x**2 + y**2 + z**2) ** 0.5
        traits[t, KEEP] = area > 0
        traits[t, BLANK] = not (abs(area) > 1.2e-38 and length > 1.2e-38)
        if traits[t, BLANK]:
            tangent[t, 0] = tangent[t, 1] = tangent[t, 2] = 0.0
            continue
        side = 1.0 if area > 0 else -1.0
        tangent[t, 0], tangent[t, 1], tangent[t, 2] = x / length * side, y / length * side, z / length * side


@kernel(numba.void(i32[:, ::1], i32[::1], i32[::1], flag[:, ::1], i32[::1]), late=True)
def join_corners(weld, starts, order, traits, parent):
    """Join corners across every shared edge of equal winding. `order`: edges (3 t + side) in groups that begin at `starts`.

    An edge that was joined is marked by turning its place in `order` round.
    """
    for e in range(len(starts) - 1):
        for p in range(starts[e], starts[e + 1]):
            if order[p] < 0:
                continue
            ta, ea = order[p] // 3, order[p] % 3
            for q in range(p + 1, min(starts[e + 1], p + 1 + PARTNERS)):
                if order[q] < 0:
                    continue
                tb, eb = order[q] // 3, order[q] % 3
                if weld[ta, ea] != weld[tb, (eb + 1) % 3] or weld[ta, (ea + 1) % 3] != weld[tb, eb]:
                    continue
                order[q] = -1 - order[q]
                if traits[ta, KEEP] == traits[tb, KEEP] or traits[ta, BLANK] or traits[tb, BLANK]:
                    parent[root_of(parent, ta * 3 + ea)] = root_of(parent, tb * 3 + (eb + 1) % 3)
                    parent[root_of(parent, ta * 3 + (ea + 1) % 3)] = root_of(parent, tb * 3 + eb)
                break


@kernel(numba.void(f32[:, :, ::1], f32[:, :, ::1], f64[:, ::1], flag[:, ::1], i64, i64, f64[:, :, ::1]), late=True)
def weigh_tangents(pos, nrm, tangent, traits, first, last, out):
    """For corners of triangles first … last their triangle's tangent across the corner's normal, times the corner's angle; `out`: zeros."""
    for t in range(first, last):
        if traits[t, BLANK]:
            continue
        for k in range(3):
            i, j = (k + 1) % 3, (k + 2) % 3
            nx, ny, nz = np.float64(nrm[t, k, 0]), np.float64(nrm[t, k, 1]), np.float64(nrm[t, k, 2])
            ax, ay, az = _less(pos[t, i, 0], pos[t, k, 0]), _less(pos[t, i, 1], pos[t, k, 1]), _less(pos[t, i, 2], pos[t, k, 2])
            bx, by, bz = _less(pos[t, j, 0], pos[t, k, 0]), _less(pos[t, j, 1], pos[t, k, 1]), _less(pos[t, j, 2], pos[t, k, 2])
            d = nx * ax + ny * ay + nz * az
            ax, ay, az = ax - nx * d, ay - ny * d, az - nz * d
            d = nx * bx + ny * by + nz * bz
            bx, by, bz = bx - nx * d, by - ny * d, bz - nz * d
            la, lb = (ax**2 + ay**2 + az**2) ** 0.5, (bx**2 + by**2 + bz**2) ** 0.5
            d = nx * tangent[t, 0] + ny * tangent[t, 1] + nz * tangent[t, 2]
            vx, vy, vz = tangent[t, 0] - nx * d, tangent[t, 1] - ny * d, tangent[t, 2] - nz * d
            lv = (vx**2 + vy**2 + vz**2) ** 0.5
            if la == 0 or lb == 0 or lv == 0:
                continue
            angle = np.arccos(min(1.0, max(-1.0, (ax * bx + ay * by + az * bz) / (la * lb))))
            out[t, k, 0], out[t, k, 1], out[t, k, 2] = vx / lv * angle, vy / lv * angle, vz / lv * angle


@kernel(numba.void(f64[:, :, ::1], flag[:, ::1], i32[::1], f64[:, ::1], numba.int8[::1]), late=True)
def add_tangents(weighed, traits, parent, total, sign):
    """Sum over the corners that are joined, at their root, and the sign of their winding; `total`, `sign`: zeros."""
    for t in range(len(weighed)):
        if traits[t, BLANK]:
            continue
        for k in range(3):
            r = root_of(parent, t * 3 + k)
            for i in range(3):
                total[r, i] += weighed[t, k, i]
            sign[r] = 1 if traits[t, KEEP] else -1


@kernel(numba.void(f32[:, :, ::1], f64[:, ::1], numba.int8[::1], i32[::1], i64, i64, f32[:, :, ::1]), late=True)
def write_tangents(nrm, total, sign, parent, first, last, out):
    """The unit tangent of corners of triangles first … last and the sign of their bitangents; no root is moved any more."""
    for t in range(first, last):
        for k in range(3):
            r = t * 3 + k
            while parent[r] != r:
                r = parent[r]
            x, y, z = total[r, 0], total[r, 1], total[r, 2]
            out[t, k, 3] = sign[r]
            length = (x**2 + y**2 + z**2) ** 0.5
            if not length > 0:  # nothing to follow: any unit vector across the normal
                nx, ny, nz = np.float64(nrm[t, k, 0]), np.float64(nrm[t, k, 1]), np.float64(nrm[t, k, 2])
                x, y = (1.0, 0.0) if abs(nx) < 0.9 else (0.0, 1.0)
                d = nx * x + ny * y
                x, y, z = x - nx * d, y - ny * d, -nz * d
                length = max((x**2 + y**2 + z**2) ** 0.5, 1e-300)
                out[t, k, 3] = 1.0
            out[t, k, 0], out[t, k, 1], out[t, k, 2] = x / length, y / length, z / length
