"""Kernels of what an imported file lays on its triangles: pictures by any UV set, and values of corners."""

# mypy: disable-error-code="no-untyped-def, arg-type, operator"
import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel
from ruvelt.core.samples._raster_kernels import _closest_bary

f32, f64, i32, i64, u16, yes = numba.float32, numba.float64, numba.int32, numba.int64, numba.uint16, numba.boolean
REPEAT, MIRROR, CLAMP = 0, 1, 2
#: Closer than this to the middle of a pixel is in it: a float's last digits must not mix neighbours.
NEAR = 1 / 512


@inline
def _wrapped(at, size, wrap):
    if wrap == 2:
        return min(max(at, 0), size - 1)
    if wrap == 0:
        return at % size
    at %= 2 * size
    return at if at < size else 2 * size - 1 - at


@kernel(numba.void(i32[::1], f32[:, :, ::1], f64[:, :, ::1], i64, i64, i64, yes, u16[:, :, ::1], i64, i64, yes, u16[:, ::1]), late=True)
def laid_chunk(owner, uv, corners, corner_x, corner_y, side, straight, image, wrap_u, wrap_v, nearest, out):
    """A picture as triangles lay it on a chunk. out : (5, 65536) uint16, its red, green, blue and alpha, then full where a triangle lays it.

    owner : (65536,) row of the triangle of each texel; uv : (t, 3, 2) corners in texel space; corners : (t, 3, 2) in the picture, 0–1, v down,
    NaN for triangles that do not lay it; straight : the sheet is the picture's own square; image : (h, w, 4), top row first
    """
    height, width = image.shape[0], image.shape[1]
    for i in range(len(owner)):
        t = owner[i]
        for k in range(5):
            out[k, i] = 0
        if t < 0 or np.isnan(corners[t, 0, 0] + corners[t, 1, 0] + corners[t, 2, 0]):
            continue
        x, y = corner_x + (i & 255) + 0.5, corner_y + (i >> 8) + 0.5
        if straight:
            u, v = x / side, y / side
        else:
            a, b, c, _ = _closest_bary(
                x, y, float(uv[t, 0, 0]), float(uv[t, 0, 1]), float(uv[t, 1, 0]), float(uv[t, 1, 1]), float(uv[t, 2, 0]), float(uv[t, 2, 1])
            )
            u = a * corners[t, 0, 0] + b * corners[t, 1, 0] + c * corners[t, 2, 0]
            v = a * corners[t, 0, 1] + b * corners[t, 1, 1] + c * corners[t, 2, 1]
        out[4, i] = 65535
        u, v = u * width - 0.5, v * height - 0.5
        if nearest:
            u, v = np.floor(u + 0.5), np.floor(v + 0.5)
        x0, y0 = np.int64(np.floor(u)), np.int64(np.floor(v))
        fx, fy = u - x0, v - y0
        if fx > 1 - NEAR:
            x0, fx = x0 + 1, 0.0
        elif fx < NEAR:
            fx = 0.0
        if fy > 1 - NEAR:
            y0, fy = y0 + 1, 0.0
        elif fy < NEAR:
            fy = 0.0
        left, right = _wrapped(x0, width, wrap_u), _wrapped(x0 + 1, width, wrap_u)
        top, bottom = _wrapped(y0, height, wrap_v), _wrapped(y0 + 1, height, wrap_v)
        for k in range(4):
            upper = image[top, left, k] * (1 - fx) + image[top, right, k] * fx
            lower = image[bottom, left, k] * (1 - fx) + image[bottom, right, k] * fx
            out[k, i] = np.uint16(upper * (1 - fy) + lower * fy + 0.5)


@kernel(numba.void(i32[::1], f32[:, :, ::1], f32[:, :, ::1], i64, i64, u16[:, ::1]), late=True)
def corner_chunk(owner, uv, values, corner_x, corner_y, out):
    """Values 0–1 of corners, (t, 3, n), between them. out : (n + 1, 65536) uint16, the last full where a triangle lies."""
    count = values.shape[2]
    for i in range(len(owner)):
        t = owner[i]
        if t < 0:
            for k in range(count + 1):
                out[k, i] = 0
            continue
        a, b, c, _ = _closest_bary(
            corner_x + (i & 255) + 0.5, corner_y + (i >> 8) + 0.5,
            float(uv[t, 0, 0]), float(uv[t, 0, 1]), float(uv[t, 1, 0]), float(uv[t, 1, 1]), float(uv[t, 2, 0]), float(uv[t, 2, 1]),
        )  # fmt: skip
        for k in range(count):
            value = a * values[t, 0, k] + b * values[t, 1, k] + c * values[t, 2, k]
            out[k, i] = np.uint16(min(max(value, 0.0), 1.0) * 65535 + 0.5)
        out[count, i] = 65535
