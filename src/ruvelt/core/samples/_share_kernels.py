"""The share of texels that marked faces cover where they meet others inside an island."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import f64_scratch, i64_scratch, inline, kernel
from ruvelt.core.samples.address import CHUNK, slot_at

f32, i32, u8 = numba.float32, numba.int32, numba.uint8
#: Triangles of the texels around one.
NEAR = 9


@inline
def _clip(points, count, axis, edge, keep, out):
    """The part of a polygon, (m, 2), on one side of a line: at or above `edge` for `keep` 1, at or below for −1. Returns how many corners."""
    n = 0
    for i in range(count):
        j = i + 1 if i + 1 < count else 0
        a, b = (points[i, axis] - edge) * keep, (points[j, axis] - edge) * keep
        if a >= 0:
            out[n, 0], out[n, 1] = points[i, 0], points[i, 1]
            n += 1
        if (a > 0 and b < 0) or (a < 0 and b > 0):
            t = a / (a - b)
            out[n, 0] = points[i, 0] + t * (points[j, 0] - points[i, 0])
            out[n, 1] = points[i, 1] + t * (points[j, 1] - points[i, 1])
            n += 1
    return n


@inline
def _area_in(uv, t, x, y, one, two):
    """Area of triangle t inside the texel at (x, y). one, two : (12, 2) to work in"""
    for k in range(3):
        one[k, 0], one[k, 1] = uv[t, k, 0], uv[t, k, 1]
    n = _clip(one, 3, 0, x, 1.0, two)
    n = _clip(two, n, 0, x + 1.0, -1.0, one)
    n = _clip(one, n, 1, y, 1.0, two)
    n = _clip(two, n, 1, y + 1.0, -1.0, one)
    area = 0.0
    for i in range(n):
        j = i + 1 if i + 1 < n else 0
        area += one[i, 0] * one[j, 1] - one[j, 0] * one[i, 1]
    return abs(area) * 0.5


@kernel(numba.void(i32, i32, i32[::1], u8[::1], i32[::1], f32[:, :, ::1], f32[::1]), late=True)
def marked_shares(chunk, side, owner, marked, island, uv, shares):
    """shares (65536,) of a chunk's texels = how far marked triangles cover them: all or nothing, but where others of the same island are near.

    owner : (slots,) triangle of each texel, −1 for none; marked, island : (triangles,); uv : (triangles, 3, 2) texels
    """
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    near, one, two = i64_scratch(NEAR), f64_scratch((12, 2)), f64_scratch((12, 2))
    for v in range(256):
        for u in range(256):
            own = np.int64(owner[chunk * CHUNK + (v << 8) + u])
            shares[(v << 8) + u] = np.float32(0)
            if own < 0:
                continue
            count, mixed = 0, False
            for dy in range(-1, 2):
                for dx in range(-1, 2):
                    x, y = left + u + dx, top + v + dy
                    if x < 0 or y < 0 or x >= side or y >= side:
                        continue
                    t = np.int64(owner[slot_at(x, y, across)])
                    if t < 0 or island[t] != island[own]:
                        continue
                    known = False
                    for k in range(count):
                        known = known or near[k] == t
                    if not known:
                        near[count] = t
                        count += 1
                        mixed = mixed or marked[t] != marked[own]
            share = np.float32(marked[own])
            if mixed:
                inside, total = 0.0, 0.0
                for k in range(count):
                    area = _area_in(uv, near[k], float(left + u), float(top + v), one, two)
                    total += area
                    inside += area if marked[near[k]] != 0 else 0.0
                share = np.float32(inside / total) if total > 1e-9 else share
            shares[(v << 8) + u] = share
