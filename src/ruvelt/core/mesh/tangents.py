"""Tangent frames by the MikkTSpace definition (Mikkelsen 2008, "Simulation of Wrinkled Surfaces Revisited", and its reference code).

A corner's tangent is the angle-weighted mean of the triangle tangents, projected on the corner's normal, over the triangles that
share the corner's position, normal and UV, have the same UV winding, and hang together through shared edges.
"""

from __future__ import annotations

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import inline, kernel


def corner_tangents(positions: NDArray[np.float32], normals: NDArray[np.float32], uvs: NDArray[np.float32]) -> NDArray[np.float32]:
    """Tangents of triangle corners.

    positions, normals : (t, 3, 3) float32, object space; uvs : (t, 3, 2) float32, v up.
    Returns (t, 3, 4) float32: unit tangent and the bitangent's sign, so that bitangent = sign · cross(normal, tangent).
    """
    count = len(positions)
    if count == 0:
        return np.zeros((0, 3, 4), np.float32)
    flat = np.concatenate([positions.reshape(-1, 3), normals.reshape(-1, 3), uvs.reshape(-1, 2)], axis=1).astype(np.float32)
    flat = np.ascontiguousarray(flat + np.float32(0))
    _, weld = np.unique(flat.view(np.dtype((np.void, 32))).ravel(), return_inverse=True)
    weld = weld.reshape(-1, 3).astype(np.int64)

    # Each edge once per triangle, keyed by its two welded ends; neighbours are consecutive equal keys with opposite directions.
    a, b = weld, weld[:, [1, 2, 0]]
    key = np.minimum(a, b) * (int(weld.max()) + 1) + np.maximum(a, b)
    order = np.argsort(key.ravel(), kind="stable").astype(np.int32)
    out = np.zeros((count, 3, 4), np.float32)
    _frames(
        positions.astype(np.float32, order="C"),
        normals.astype(np.float32, order="C"),
        uvs.astype(np.float32, order="C"),
        weld,
        key.ravel(),
        order,
        out,
    )
    return out


@inline
def _root(parent, i):  # type: ignore[no-untyped-def]
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@kernel(
    numba.void(
        numba.float32[:, :, ::1],
        numba.float32[:, :, ::1],
        numba.float32[:, :, ::1],
        numba.int64[:, ::1],
        numba.int64[::1],
        numba.int32[::1],
        numba.float32[:, :, ::1],
    ),
    late=True,
    allocates=True,
)
def _frames(pos, nrm, uvs, weld, edge_key, order, out):  # type: ignore[no-untyped-def]
    count = len(pos)
    tangent = np.zeros((count, 3))
    keep = np.zeros(count, np.bool_)  # UV winding is positive
    blank = np.zeros(count, np.bool_)  # no usable UV area: follows its neighbours
    for t in range(count):
        d1 = pos[t, 1].astype(np.float64) - pos[t, 0]
        d2 = pos[t, 2].astype(np.float64) - pos[t, 0]
        t21x, t21y = float(uvs[t, 1, 0]) - uvs[t, 0, 0], float(uvs[t, 1, 1]) - uvs[t, 0, 1]
        t31x, t31y = float(uvs[t, 2, 0]) - uvs[t, 0, 0], float(uvs[t, 2, 1]) - uvs[t, 0, 1]
        area = t21x * t31y - t21y * t31x
        keep[t] = area > 0
        os = t31y * d1 - t21y * d2
        length = (os[0] ** 2 + os[1] ** 2 + os[2] ** 2) ** 0.5
        if abs(area) > 1.2e-38 and length > 1.2e-38:
            tangent[t] = os / length * (1.0 if area > 0 else -1.0)
        else:
            blank[t] = True

    # Corners join their neighbour's corner across every shared edge of equal winding.
    parent = np.arange(count * 3)
    i = 0
    while i < count * 3:
        j = i
        while j < count * 3 and edge_key[order[j]] == edge_key[order[i]]:
            j += 1
        used = np.zeros(j - i, np.bool_)
        for p in range(i, j):
            if used[p - i]:
                continue
            ta, ea = order[p] // 3, order[p] % 3
            for q in range(p + 1, j):
                tb, eb = order[q] // 3, order[q] % 3
                if used[q - i] or weld[ta, ea] != weld[tb, (eb + 1) % 3] or weld[ta, (ea + 1) % 3] != weld[tb, eb]:
                    continue
                used[q - i] = True
                if keep[ta] == keep[tb] or blank[ta] or blank[tb]:
                    parent[_root(parent, ta * 3 + ea)] = _root(parent, tb * 3 + (eb + 1) % 3)
                    parent[_root(parent, ta * 3 + (ea + 1) % 3)] = _root(parent, tb * 3 + eb)
                break
        i = j

    total = np.zeros((count * 3, 3))
    sign = np.zeros(count * 3)
    for t in range(count):
        if blank[t]:
            continue
        for k in range(3):
            n = nrm[t, k].astype(np.float64)
            here = pos[t, k].astype(np.float64)
            e1 = pos[t, (k + 1) % 3] - here
            e2 = pos[t, (k + 2) % 3] - here
            e1 = e1 - n * (n[0] * e1[0] + n[1] * e1[1] + n[2] * e1[2])
            e2 = e2 - n * (n[0] * e2[0] + n[1] * e2[1] + n[2] * e2[2])
            l1 = (e1[0] ** 2 + e1[1] ** 2 + e1[2] ** 2) ** 0.5
            l2 = (e2[0] ** 2 + e2[1] ** 2 + e2[2] ** 2) ** 0.5
            v = tangent[t] - n * (n[0] * tangent[t, 0] + n[1] * tangent[t, 1] + n[2] * tangent[t, 2])
            lv = (v[0] ** 2 + v[1] ** 2 + v[2] ** 2) ** 0.5
            if l1 == 0 or l2 == 0 or lv == 0:
                continue
            cosine = (e1[0] * e2[0] + e1[1] * e2[1] + e1[2] * e2[2]) / (l1 * l2)
            angle = np.arccos(min(1.0, max(-1.0, cosine)))
            r = _root(parent, t * 3 + k)
            total[r] += v / lv * angle
            sign[r] = 1.0 if keep[t] else -1.0
    for t in range(count):
        for k in range(3):
            r = _root(parent, t * 3 + k)
            v = total[r]
            length = (v[0] ** 2 + v[1] ** 2 + v[2] ** 2) ** 0.5
            if length > 0:
                out[t, k, 0], out[t, k, 1], out[t, k, 2] = v[0] / length, v[1] / length, v[2] / length
                out[t, k, 3] = sign[r]
            else:  # nothing to follow: any unit vector across the normal
                n = nrm[t, k].astype(np.float64)
                a = np.array([1.0, 0.0, 0.0]) if abs(n[0]) < 0.9 else np.array([0.0, 1.0, 0.0])
                v = a - n * (n[0] * a[0] + n[1] * a[1] + n[2] * a[2])
                length = (v[0] ** 2 + v[1] ** 2 + v[2] ** 2) ** 0.5
                out[t, k, 0], out[t, k, 1], out[t, k, 2] = v[0] / length, v[1] / length, v[2] / length
                out[t, k, 3] = 1.0
