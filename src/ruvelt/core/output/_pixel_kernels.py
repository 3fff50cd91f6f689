"""Loops from composites to pixels: normals from height, 8-bit packing, gutters."""

# mypy: disable-error-code="no-untyped-def"
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import inline, kernel, u8_at, u16_at
from ruvelt.core.samples.address import CHUNK, block_of, chunk_of, local_of, slot_at
from ruvelt.core.samples.arrays import RUNS

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16


@inline
def _height(heights, chunks, x, y):
    """Height code at a texel of the sheet, minus the flat code."""
    slot = slot_at(x, y, chunks)
    return np.float32(u16_at(heights[chunk_of(slot)], CHUNK)[local_of(slot)]) - np.float32(32768)


class SheetFaces(NamedTuple):
    """owner : (slots,) int32 triangle of each texel; of each triangle: island : (t,) int32 label, so that slopes stay inside an island

    uv : (t, 3, 2) texels; slopes : (t, 6) object-space gradient per height slope along texel columns (0–2) and up the rows (3–5)
    normals, tangents : (t, 3, 3 and 4) of the corners
    """

    owner: NDArray[np.int32]
    island: NDArray[np.int32]
    uv: NDArray[np.float32]
    slopes: NDArray[np.float32]
    normals: NDArray[np.float32]
    tangents: NDArray[np.float32]


FACES = numba.types.NamedTuple((i32[::1], i32[::1], f32[:, :, ::1], f32[:, ::1], f32[:, :, ::1], f32[:, :, ::1]), SheetFaces)


@kernel(numba.void(RUNS, i32, i32, i64[::1], f32, i64, FACES, u16[:, ::1]))
def normal_runs(runs, chunk, side, heights, scale, supplied, faces, out):
    """Tangent-space normals of one chunk from the height around it, laid over a supplied normal map.

    heights : (chunks,) addresses of height composites (this chunk and its four neighbours are needed); scale : object units per code
    supplied : address of a (4, 65536) uint16 normal map chunk or 0; out : (3, 65536) uint16, n · 0.5 + 0.5
    """
    starts, counts = runs
    owner, island, uv, slopes, normals, tangents = faces
    chunks = side // 256
    cx, cy = (chunk % chunks) * 256, (chunk // chunks) * 256
    for r in range(len(starts)):
        for local in range(starts[r], starts[r] + counts[r]):
            t = owner[chunk * CHUNK + local]
            x, y = cx + (local & 255), cy + (local >> 8)
            nx, ny, nz = np.float32(0), np.float32(0), np.float32(1)
            if t >= 0 and scale != 0:
                here = _height(heights, chunks, x, y)
                du, dv = np.float32(0), np.float32(0)
                wu, wv = 0, 0
                if x > 0:
                    o = owner[slot_at(x - 1, y, chunks)]
                    if o >= 0 and island[o] == island[t]:
                        du += here - _height(heights, chunks, x - 1, y)
                        wu += 1
                if x < side - 1:
                    o = owner[slot_at(x + 1, y, chunks)]
                    if o >= 0 and island[o] == island[t]:
                        du += _height(heights, chunks, x + 1, y) - here
                        wu += 1
                if y > 0:
                    o = owner[slot_at(x, y - 1, chunks)]
                    if o >= 0 and island[o] == island[t]:
                        dv += _height(heights, chunks, x, y - 1) - here
                        wv += 1
                if y < side - 1:
                    o = owner[slot_at(x, y + 1, chunks)]
                    if o >= 0 and island[o] == island[t]:
                        dv += here - _height(heights, chunks, x, y + 1)
                        wv += 1
                if du != 0 or dv != 0:
                    du = du / max(wu, 1) * scale
                    dv = dv / max(wv, 1) * scale
                    gx = du * slopes[t, 0] + dv * slopes[t, 3]
                    gy = du * slopes[t, 1] + dv * slopes[t, 4]
                    gz = du * slopes[t, 2] + dv * slopes[t, 5]
                    # Barycentric weights at the texel's centre, clamped into the triangle.
                    ax, ay = uv[t, 0, 0], uv[t, 0, 1]
                    bx, by = uv[t, 1, 0] - ax, uv[t, 1, 1] - ay
                    qx, qy = uv[t, 2, 0] - ax, uv[t, 2, 1] - ay
                    area = bx * qy - qx * by
                    px, py = np.float32(x) + np.float32(0.5) - ax, np.float32(y) + np.float32(0.5) - ay
                    wb = wc = np.float32(1 / 3)
                    if area != 0:
                        wb = min(max((px * qy - qx * py) / area, np.float32(0)), np.float32(1))
                        wc = min(max((bx * py - px * by) / area, np.float32(0)), np.float32(1))
                    total = max(wb + wc, np.float32(1))
                    wb, wc = wb / total, wc / total
                    wa = np.float32(1) - wb - wc
                    n0 = wa * normals[t, 0, 0] + wb * normals[t, 1, 0] + wc * normals[t, 2, 0]
                    n1 = wa * normals[t, 0, 1] + wb * normals[t, 1, 1] + wc * normals[t, 2, 1]
                    n2 = wa * normals[t, 0, 2] + wb * normals[t, 1, 2] + wc * normals[t, 2, 2]
                    t0 = wa * tangents[t, 0, 0] + wb * tangents[t, 1, 0] + wc * tangents[t, 2, 0]
                    t1 = wa * tangents[t, 0, 1] + wb * tangents[t, 1, 1] + wc * tangents[t, 2, 1]
                    t2 = wa * tangents[t, 0, 2] + wb * tangents[t, 1, 2] + wc * tangents[t, 2, 2]
                    sign = tangents[t, 0, 3]
                    # The normal leans against the slope: through the inverse of the matrix that decoding multiplies by (Mikkelsen 2008).
                    b0, b1, b2 = sign * (n1 * t2 - n2 * t1), sign * (n2 * t0 - n0 * t2), sign * (n0 * t1 - n1 * t0)
                    ln = max(np.sqrt(n0 * n0 + n1 * n1 + n2 * n2), np.float32(1e-20))
                    gx, gy, gz = n0 / ln - gx, n1 / ln - gy, n2 / ln - gz
                    nx = gx * (b1 * n2 - b2 * n1) + gy * (b2 * n0 - b0 * n2) + gz * (b0 * n1 - b1 * n0)
                    ny = gx * (n1 * t2 - n2 * t1) + gy * (n2 * t0 - n0 * t2) + gz * (n0 * t1 - n1 * t0)
                    nz = gx * (t1 * b2 - t2 * b1) + gy * (t2 * b0 - t0 * b2) + gz * (t0 * b1 - t1 * b0)
                    turned = t0 * (b1 * n2 - b2 * n1) + t1 * (b2 * n0 - b0 * n2) + t2 * (b0 * n1 - b1 * n0)
                    length = max(np.sqrt(nx * nx + ny * ny + nz * nz), np.float32(1e-20))
                    length = length if turned >= 0 else -length
                    nx, ny, nz = nx / length, ny / length, nz / length
            if supplied != 0 and t >= 0:
                values_u16 = u16_at(supplied, CHUNK * 4)
                if values_u16[3 * CHUNK + local] != 0:
                    mx = np.float32(values_u16[local]) / np.float32(32767.5) - np.float32(1)
                    my = np.float32(values_u16[CHUNK + local]) / np.float32(32767.5) - np.float32(1)
                    mz = max(np.float32(values_u16[2 * CHUNK + local]) / np.float32(32767.5) - np.float32(1), np.float32(1e-3))
                    # Reoriented normal mapping (Barré-Brisebois and Hill 2012): the relief turns with the map below it.
                    mz += np.float32(1)
                    dot = (-mx * nx - my * ny + mz * nz) / mz
                    nx, ny, nz = mx * dot + nx, my * dot + ny, mz * dot - nz
                    length = max(np.sqrt(nx * nx + ny * ny + nz * nz), np.float32(1e-20))
                    nx, ny, nz = nx / length, ny / length, nz / length
            out[0, local] = np.uint16((nx * np.float32(0.5) + np.float32(0.5)) * np.float32(65535) + np.float32(0.5))
            out[1, local] = np.uint16((ny * np.float32(0.5) + np.float32(0.5)) * np.float32(65535) + np.float32(0.5))
            out[2, local] = np.uint16((nz * np.float32(0.5) + np.float32(0.5)) * np.float32(65535) + np.float32(0.5))


@kernel(numba.void(i32[::1], i32[::1], i64, i64, i64, i64, numba.uint32[::1]))
def pack_runs(starts, counts, red, green, blue, alpha, out):
    """16-bit components (addresses of (65536,) uint16, 0 for full) to 8 bit, rounded; out : (65536,) uint32, red in the lowest byte."""
    addresses = (red, green, blue, alpha)
    fixed = np.uint32(0)
    for k in range(4):
        if addresses[k] == 0:
            fixed |= np.uint32(255) << np.uint32(8 * k)
    for r in range(len(starts)):
        first, end = np.uint64(starts[r]), np.uint64(starts[r] + counts[r])
        for i in range(first, end):
            out[i] = fixed
        for k in range(4):
            if addresses[k] != 0:
                values_u16, shift = u16_at(addresses[k], CHUNK), np.uint32(8 * k)
                for i in range(first, end):
                    # Exactly round(code / 257) for every 16-bit code.
                    out[i] |= ((np.uint32(values_u16[i]) * np.uint32(255) + np.uint32(32895)) >> np.uint32(16)) << shift


@kernel(numba.void(i32[::1], i32[::1], i64, i64, u8[::1], i64[::1], i32[:, ::1]))
def gutter_runs(dst, src, first, last, blocks, textures, box):
    """Repeat island texels of marked blocks into their gutter. textures : (chunks,) addresses of (65536, 4) uint8, 0 where not at hand.

    box : (chunks, 4) left, top, right, bottom (texels inside the chunk, end exclusive) of what was written; grown in place.
    """
    for i in range(first, last):
        local = local_of(src[i])
        if blocks[block_of(local, True)] == 0:
            continue
        a, b = textures[chunk_of(src[i])], textures[chunk_of(dst[i])]
        if a == 0 or b == 0:
            continue
        source, target = u8_at(a, CHUNK * 4), u8_at(b, CHUNK * 4)
        d = local_of(dst[i])
        for k in range(4):
            target[4 * d + k] = source[4 * local + k]
        c = chunk_of(dst[i])
        x, y = d & 255, d >> 8
        box[c, 0] = min(box[c, 0], x)
        box[c, 1] = min(box[c, 1], y)
        box[c, 2] = max(box[c, 2], x + 1)
        box[c, 3] = max(box[c, 3], y + 1)
