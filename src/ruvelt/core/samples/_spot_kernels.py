"""Where samples lie on the faces of a mesh, and what faces hold there."""

# mypy: disable-error-code="no-untyped-def, arg-type, operator"
import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel
from ruvelt.core.samples._raster_kernels import _closest_bary
from ruvelt.core.samples.address import slot_at

f32, f64, i32, i64, u16 = numba.float32, numba.float64, numba.int32, numba.int64, numba.uint16


@kernel(numba.void(i32[::1], f32[:, :, ::1], i64, i64, i32[::1], i32[::1], f32[:, ::1]), late=True)
def own_spots(owner, uv, corner_x, corner_y, number, cell, st):
    """Texels of a chunk on the triangles that own them. number : (t,) what each triangle is called"""
    for i in range(len(owner)):
        t = owner[i]
        cell[i] = -1
        if t < 0:
            continue
        _, b, c, _ = _closest_bary(
            corner_x + (i & 255) + 0.5, corner_y + (i >> 8) + 0.5,
            float(uv[t, 0, 0]), float(uv[t, 0, 1]), float(uv[t, 1, 0]), float(uv[t, 1, 1]), float(uv[t, 2, 0]), float(uv[t, 2, 1]),
        )  # fmt: skip
        cell[i], st[i, 0], st[i, 1] = number[t], b, c


@inline
def _halved(s, t):
    """The quarter of a square that a place lies in, and where in it: each child begins at its own corner and goes round as its parent does."""
    if t < 0.5:
        if s < 0.5:
            return 0, 2 * s, 2 * t
        return 1, 2 * t, 2 * (1 - s)
    if s >= 0.5:
        return 2, 2 * (1 - s), 2 * (1 - t)
    return 3, 2 * (1 - t), 2 * s


@kernel(numba.void(i32[:, ::1], i64, i32[::1], f32[:, ::1]), late=True)
def level_spots(polygon, level, cell, st):
    """Spots on triangles of a model turned into those on the squares of a level of it; −2 where a polygon has more than four corners.

    polygon : (triangles, 5) the first corner of each one's polygon, how many that has, and which of them the triangle's corners are
    """
    for i in range(len(cell)):
        t = cell[i]
        if t < 0:
            continue
        first, count = polygon[t, 0], polygon[t, 1]
        b, c = float(st[i, 0]), float(st[i, 1])
        a = 1 - b - c
        if count == 4:
            u, v = 0.0, 0.0
            for k in range(3):
                w = a if k == 0 else b if k == 1 else c
                corner = polygon[t, 2 + k]
                if corner == 1 or corner == 2:
                    u += w
                if corner >= 2:
                    v += w
            child, u, v = _halved(u, v)
        elif count == 3:
            # Of the corner with the most weight: its own square, two of whose sides are halves of edges and one corner the middle.
            k = 0 if a >= b and a >= c else 1 if b >= c else 2
            after = b if k == 0 else c if k == 1 else a
            before = c if k == 0 else a if k == 1 else b
            child = polygon[t, 2 + k]
            turned = polygon[t, 2 + (k + 1) % 3] != (child + 1) % 3
            if turned:
                after, before = before, after
            d = 2 * (after - before)
            u = ((3 + d) - np.sqrt(max((3 + d) * (3 + d) - 24 * after, 0.0))) / 2
            v = u - d
        else:
            cell[i] = -2
            continue
        u, v = min(max(u, 0.0), 1.0), min(max(v, 0.0), 1.0)
        q = first + child
        for _ in range(level - 1):
            child, u, v = _halved(u, v)
            q = 4 * q + child
        cell[i], st[i, 0], st[i, 1] = q, u, v


@inline
def _share(k, s, t, square):
    if not square:
        return 1 - s - t if k == 0 else s if k == 1 else t
    if k == 0:
        return (1 - s) * (1 - t)
    if k == 1:
        return s * (1 - t)
    return s * t if k == 2 else (1 - s) * t


@kernel(numba.void(i32[:, ::1], i32[::1], f32[:, ::1], u16[:, ::1], u16[:, ::1]), late=True)
def between_corners(cells, cell, st, values, out):
    """Values of corners at spots in them, weighed by coverage. cells : (m, 4) slots, the last −1 of triangles; values : (k, old slots)

    out : (k, n), of which spots that are nowhere are left as they are
    """
    last = len(values) - 1
    for i in range(len(cell)):
        q = cell[i]
        if q < 0:
            continue
        square = cells[q, 3] >= 0
        s, t = float(st[i, 0]), float(st[i, 1])
        cover = 0.0
        for k in range(4 if square else 3):
            cover += max(_share(k, s, t, square), 0.0) * values[last, cells[q, k]]
        for j in range(last):
            total = 0.0
            if cover > 0:
                for k in range(4 if square else 3):
                    slot = cells[q, k]
                    total += max(_share(k, s, t, square), 0.0) * values[last, slot] * values[j, slot]
                total /= cover
            out[j, i] = np.uint16(total + 0.5)
        out[last, i] = np.uint16(min(cover, 65535.0) + 0.5)


@kernel(numba.void(i32[:, ::1], i32[::1], f32[:, ::1], i32[::1]), late=True)
def nearest_corners(cells, cell, st, out):
    """The corner that has most of each spot; −1 for those that are nowhere."""
    for i in range(len(cell)):
        q = cell[i]
        out[i] = -1
        if q < 0:
            continue
        square = cells[q, 3] >= 0
        most, s, t = -1.0, float(st[i, 0]), float(st[i, 1])
        for k in range(4 if square else 3):
            share = _share(k, s, t, square)
            if share > most:
                most, out[i] = share, cells[q, k]


@kernel(numba.void(i32[::1], f32[::1], u16[:, ::1], f64[::1], f64[:, ::1]), late=True)
def add_up(goal, area, values, total, sums):
    """Areas of samples added to the slots they go to, and areas times coverage times values. goal : (n,) −1 for none; sums : (k, new slots)"""
    last = len(values) - 1
    for i in range(len(goal)):
        g = goal[i]
        if g < 0:
            continue
        total[g] += area[i]
        weight = float(area[i]) * values[last, i]
        sums[last, g] += weight
        for j in range(last):
            sums[j, g] += weight * values[j, i]


@kernel(numba.void(i32[::1], f32[:, ::1], f32[:, :, ::1], i32[::1], i32[::1], i64, u16[:, ::1], u16[:, ::1]), late=True)
def between_texels(row, st, uv, owner, island, side, values, out):
    """Values of texels at spots on triangles, mixed from the four around each that are of its own island, weighed by coverage.

    row : (n,) the sheet's triangle, −1 for none, and set to −1 where no texel of the island is near; st : (n, 2) in it; island : (t,)
    """
    last, across = len(values) - 1, side >> 8
    for i in range(len(row)):
        t = row[i]
        if t < 0:
            continue
        b, c = float(st[i, 0]), float(st[i, 1])
        x = uv[t, 0, 0] * (1 - b - c) + uv[t, 1, 0] * b + uv[t, 2, 0] * c
        y = uv[t, 0, 1] * (1 - b - c) + uv[t, 1, 1] * b + uv[t, 2, 1] * c
        if not (np.isfinite(x) and np.isfinite(y)):
            row[i] = -1
            continue
        x0, y0 = np.int64(np.floor(x - 0.5)), np.int64(np.floor(y - 0.5))
        fx, fy = x - 0.5 - x0, y - 0.5 - y0
        whole, cover = 0.0, 0.0
        for n in range(4):
            slot = slot_at((x0 + (n & 1)) % side, (y0 + (n >> 1)) % side, across)
            if owner[slot] >= 0 and island[owner[slot]] == island[t]:
                w = (fx if n & 1 else 1 - fx) * (fy if n >> 1 else 1 - fy) + 1e-9
                whole += w
                cover += w * values[last, slot]
        if whole <= 0:
            row[i] = -1
            continue
        for j in range(last):
            total = 0.0
            if cover > 0:
                for n in range(4):
                    slot = slot_at((x0 + (n & 1)) % side, (y0 + (n >> 1)) % side, across)
                    if owner[slot] >= 0 and island[owner[slot]] == island[t]:
                        w = (fx if n & 1 else 1 - fx) * (fy if n >> 1 else 1 - fy) + 1e-9
                        total += w * values[last, slot] * values[j, slot]
                total /= cover
            out[j, i] = np.uint16(total + 0.5)
        out[last, i] = np.uint16(min(cover / whole, 65535.0) + 0.5)
