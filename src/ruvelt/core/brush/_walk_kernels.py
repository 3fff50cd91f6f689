"""Finding the texel at a point of the surface: leaps over the layout of a sheet, and a search in space where that leads nowhere."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import inline
from ruvelt.core.samples.grid import search

f32, i32 = numba.float32, numba.int32
CHUNK = 65536
#: Leaps over a layout before a search begins anew in space.
STRIDES = 8
#: Signature of a sample grid: low, cell, dims, start, slot, xyz.
GRID = (f32[::1], numba.float64, i32[::1], i32[::1], i32[::1], f32[:, ::1])


@inline
def slot_at(x, y, across):
    return ((y >> 8) * across + (x >> 8)) * CHUNK + ((y & 255) << 8) + (x & 255)


@inline
def walk(px, py, pz, s, reach, position, face, side):
    """The texel nearest to a point, leapt to from texel `s` by the slopes of the layout; −1 where that leads off an island or too far away.

    A point off the surface finds its foot on it.
    """
    across = side >> 8
    chunk = s >> 16
    x, y = (chunk % across) * 256 + (s & 255), (chunk // across) * 256 + ((s & 65535) >> 8)
    for _ in range(STRIDES):
        r = slot_at(x + 1, y, across) if x + 1 < side else -1
        sign_x = np.float32(1)
        if r < 0 or face[r] < 0:
            r, sign_x = (slot_at(x - 1, y, across) if x > 0 else -1), np.float32(-1)
        d = slot_at(x, y + 1, across) if y + 1 < side else -1
        sign_y = np.float32(1)
        if d < 0 or face[d] < 0:
            d, sign_y = (slot_at(x, y - 1, across) if y > 0 else -1), np.float32(-1)
        if r < 0 or d < 0 or face[r] < 0 or face[d] < 0:
            return np.int64(-1)
        ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
        ax, ay, az = position[r, 0] - ox, position[r, 1] - oy, position[r, 2] - oz
        bx, by, bz = position[d, 0] - ox, position[d, 1] - oy, position[d, 2] - oz
        wx, wy, wz = px - ox, py - oy, pz - oz
        aa, bb, ab = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz
        aw, bw = ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz
        det = aa * bb - ab * ab
        if not det > np.float32(1e-3) * aa * bb:
            return np.int64(-1)
        u, v = sign_x * (aw * bb - bw * ab) / det, sign_y * (bw * aa - aw * ab) / det
        if abs(u) <= np.float32(0.5) and abs(v) <= np.float32(0.5):
            return s if wx * wx + wy * wy + wz * wz <= reach * reach else np.int64(-1)
        if not (abs(u) < 200 and abs(v) < 200):
            return np.int64(-1)
        x, y = x + np.int64(np.floor(u + np.float32(0.5))), y + np.int64(np.floor(v + np.float32(0.5)))
        if x < 0 or y < 0 or x >= side or y >= side:
            return np.int64(-1)
        s = np.int64(slot_at(x, y, across))
        if face[s] < 0:
            return np.int64(-1)
    return np.int64(-1)


@inline
def beside(s, a, b, face, side):
    """The texel that lies from `s` as `b` lies from `a`; −1 where there is none."""
    across = side >> 8
    dx = ((b >> 16) % across - (a >> 16) % across + (s >> 16) % across) * 256 + (b & 255) - (a & 255) + (s & 255)
    dy = ((b >> 16) // across - (a >> 16) // across + (s >> 16) // across) * 256 + ((b & 65535) >> 8) - ((a & 65535) >> 8) + ((s & 65535) >> 8)
    if dx < 0 or dy < 0 or dx >= side or dy >= side:
        return np.int64(-1)
    t = np.int64(slot_at(dx, dy, across))
    return t if face[t] >= 0 else np.int64(-1)


@inline
def locate(px, py, pz, guess, other, reach, position, face, side, low, cell, dims, start, slot, xyz):
    """Slot of the sample nearest to a point: beside `guess` or `other` on a sheet where the layout leads there, else by the grid."""
    found = np.int64(-1)
    if side > 0:
        # The second guess is what a sample beside it found, across a seam.
        for turn in range(2):
            begin = guess if turn == 0 else other
            if begin >= 0 and found < 0:
                found = walk(px, py, pz, begin, reach, position, face, side)
    if found < 0:
        found = np.int64(search(px, py, pz, reach, low, cell, dims, start, slot, xyz))
    return found


@inline
def exact_texel(px, py, pz, s, position, face, side):
    """Texel coordinates (x, y) of a point beside texel `s`, whole at texels' middles."""
    across = side >> 8
    chunk = s >> 16
    x, y = (chunk % across) * 256 + (s & 255), (chunk // across) * 256 + ((s & 65535) >> 8)
    r, sign_x = (slot_at(x + 1, y, across), np.float32(1)) if x + 1 < side else (slot_at(x - 1, y, across), np.float32(-1))
    if face[r] < 0 and x > 0:
        r, sign_x = slot_at(x - 1, y, across), np.float32(-1)
    d, sign_y = (slot_at(x, y + 1, across), np.float32(1)) if y + 1 < side else (slot_at(x, y - 1, across), np.float32(-1))
    if face[d] < 0 and y > 0:
        d, sign_y = slot_at(x, y - 1, across), np.float32(-1)
    u, v = np.float32(0), np.float32(0)
    if face[r] >= 0 and face[d] >= 0:
        ax, ay, az = position[r, 0] - position[s, 0], position[r, 1] - position[s, 1], position[r, 2] - position[s, 2]
        bx, by, bz = position[d, 0] - position[s, 0], position[d, 1] - position[s, 1], position[d, 2] - position[s, 2]
        wx, wy, wz = px - position[s, 0], py - position[s, 1], pz - position[s, 2]
        aa, bb, ab = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz
        aw, bw = ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz
        det = aa * bb - ab * ab
        if det > np.float32(1e-3) * aa * bb:
            u, v = sign_x * (aw * bb - bw * ab) / det, sign_y * (bw * aa - aw * ab) / det
    return np.float32(x) + u, np.float32(y) + v
