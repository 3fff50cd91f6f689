"""Finding the texel at a point of the surface: leaps over the layout of a sheet, and a search in space where that leads nowhere."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import helper, inline
from ruvelt.core.samples.address import column_of, row_of, slot_at
from ruvelt.core.samples.grid import search

f32, i32 = numba.float32, numba.int32
#: Leaps over a layout before a search begins anew in space.
STRIDES = 8
#: Texels that a leap over one face is trusted for.
STRAIGHT = np.float32(16)


@inline
def slopes(px, py, pz, s, x, y, position, face, side):
    """(whether told, u, v, height²): a point's way from texel `s` at (x, y) by the slopes of the layout there, in texels, and what is left off it.

    A point off the surface finds its foot on it.
    """
    across = side >> 8
    r = np.int64(slot_at(x + 1, y, across)) if x + 1 < side else np.int64(-1)
    sign_x, sign_y = np.float32(1), np.float32(1)
    if r < 0 or face[r] < 0:
        r, sign_x = (np.int64(slot_at(x - 1, y, across)) if x > 0 else np.int64(-1)), np.float32(-1)
    d = np.int64(slot_at(x, y + 1, across)) if y + 1 < side else np.int64(-1)
    if d < 0 or face[d] < 0:
        d, sign_y = (np.int64(slot_at(x, y - 1, across)) if y > 0 else np.int64(-1)), np.float32(-1)
    if r < 0 or d < 0 or face[r] < 0 or face[d] < 0:
        return False, np.float32(0), np.float32(0), np.float32(0)
    ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
    ax, ay, az = position[r, 0] - ox, position[r, 1] - oy, position[r, 2] - oz
    bx, by, bz = position[d, 0] - ox, position[d, 1] - oy, position[d, 2] - oz
    wx, wy, wz = px - ox, py - oy, pz - oz
    aa, bb, ab = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz
    aw, bw = ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz
    det = aa * bb - ab * ab
    if not det > np.float32(1e-3) * aa * bb:
        return False, np.float32(0), np.float32(0), np.float32(0)
    inverse = np.float32(1) / det
    u, v = (aw * bb - bw * ab) * inverse, (bw * aa - aw * ab) * inverse
    hx, hy, hz = wx - u * ax - v * bx, wy - u * ay - v * by, wz - u * az - v * bz
    return True, sign_x * u, sign_y * v, hx * hx + hy * hy + hz * hz


@inline
def foot(px, py, pz, begin, reach, position, face, side):
    """(texel, x, y): the texel nearest to a point, leapt to from texel `begin`, and the point's own place in texels, whole at texels' middles.

    The texel is −1 where that leads off an island or the point lies farther than `reach` from the surface.
    """
    across = side >> 8
    none, half = np.int64(-1), np.float32(0.5)
    s = np.int64(begin)
    x, y = column_of(s, across), row_of(s, across)
    for _ in range(STRIDES):
        told, u, v, height = slopes(px, py, pz, s, x, y, position, face, side)
        # Written so that NaN leads nowhere, too.
        if not (told and abs(u) < 200 and abs(v) < 200 and height <= reach * reach):
            return none, half, half
        ex, ey = np.float32(x) + u, np.float32(y) + v
        tx, ty = np.int64(np.floor(ex + half)), np.int64(np.floor(ey + half))
        if tx == x and ty == y:
            return s, ex, ey
        if tx < 0 or ty < 0 or tx >= side or ty >= side:
            return none, half, half
        t = np.int64(slot_at(tx, ty, across))
        if face[t] < 0:
            return none, half, half
        # Over one face a layout is straight.
        if face[t] == face[s] and abs(u) < STRAIGHT and abs(v) < STRAIGHT:
            return t, ex, ey
        s, x, y = t, tx, ty
    return none, half, half


@inline
def far_apart(a, b, side):
    """Whether two texels lie farther apart than neighbours' sources do on one island."""
    across = side >> 8
    dx = column_of(a, across) - column_of(b, across)
    dy = row_of(a, across) - row_of(b, across)
    return abs(dx) > 64 or abs(dy) > 64


@inline
def beside(s, a, b, face, side):
    """The texel that lies from `s` as `b` lies from `a`; −1 where there is none."""
    across = side >> 8
    dx = column_of(b, across) - column_of(a, across) + column_of(s, across)
    dy = row_of(b, across) - row_of(a, across) + row_of(s, across)
    if dx < 0 or dy < 0 or dx >= side or dy >= side:
        return np.int64(-1)
    t = np.int64(slot_at(dx, dy, across))
    return t if face[t] >= 0 else np.int64(-1)


@inline
def nearer(px, py, pz, a, b, reach, position):
    """(slot, distance²) of the one of two samples that lies nearer to a point and within reach; −1 for none."""
    known, away = np.int64(-1), reach * reach
    for turn in range(2):
        s = a if turn == 0 else b
        if s >= 0:
            dx, dy, dz = position[s, 0] - px, position[s, 1] - py, position[s, 2] - pz
            d = dx * dx + dy * dy + dz * dz
            if d < away:
                known, away = np.int64(s), d
    return known, away


@helper
def elsewhere(px, py, pz, last, other, reach, position, face, side, grid):
    """The texel nearest to a point as `locate` gives it, where its first guess led nowhere."""
    found, ex, ey = np.int64(-1), np.float32(0), np.float32(0)
    for turn in range(2):
        begin = last if turn == 0 else other
        if begin >= 0 and found < 0:
            found, ex, ey = foot(px, py, pz, begin, reach, position, face, side)
    if found < 0:
        known, away = nearer(px, py, pz, last, other, reach, position)
        found = np.int64(search(px, py, pz, reach, known, away, grid))
        if found >= 0:
            across, half = side >> 8, np.float32(0.5)
            x, y = column_of(found, across), row_of(found, across)
            _, u, v, _ = slopes(px, py, pz, found, x, y, position, face, side)
            # A point between islands is that of the texel found.
            ex, ey = np.float32(x) + min(max(u, -half), half), np.float32(y) + min(max(v, -half), half)
    return found, ex, ey


@inline
def locate(px, py, pz, guess, last, other, reach, position, face, side, grid):
    """(texel, x, y): the texel nearest to a point and the point's own place: by one of three guesses where the layout leads there, else by the grid.

    last, other : what samples beside it found, on one side of a seam and on the other; the texel is −1 where there is none within reach
    """
    found, ex, ey = np.int64(-1), np.float32(0), np.float32(0)
    if guess >= 0:
        found, ex, ey = foot(px, py, pz, guess, reach, position, face, side)
    if found < 0:
        # A call, for it is seldom needed and would make the loop around it slow.
        found, ex, ey = elsewhere(px, py, pz, last, other, reach, position, face, side, grid)
    return found, ex, ey
