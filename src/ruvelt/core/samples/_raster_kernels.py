"""Conservative UV raster: every texel whose square touches a triangle belongs to one."""

# mypy: disable-error-code="no-untyped-def, assignment"
import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel
from ruvelt.core.samples.address import column_of, row_of, slot_at

f32, f64, i32 = numba.float32, numba.float64, numba.int32


#: What rounding may move an edge by, in texels.
ROUNDING = 1e-3


@inline
def _edge_closest(px, py, ax, ay, bx, by):
    dx, dy = bx - ax, by - ay
    length = dx * dx + dy * dy
    t = 0.0 if length == 0.0 else min(max(((px - ax) * dx + (py - ay) * dy) / length, 0.0), 1.0)
    qx, qy = ax + t * dx - px, ay + t * dy - py
    return t, qx * qx + qy * qy


@inline
def _closest_bary(px, py, ax, ay, bx, by, cx, cy):
    """Barycentric coordinates of the triangle point nearest to (px, py), and its squared distance."""
    area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
    if area != 0.0:
        wa = ((bx - px) * (cy - py) - (cx - px) * (by - py)) / area
        wb = ((cx - px) * (ay - py) - (ax - px) * (cy - py)) / area
        wc = 1.0 - wa - wb
        if wa >= 0.0 and wb >= 0.0 and wc >= 0.0:
            return wa, wb, wc, 0.0
    t0, d0 = _edge_closest(px, py, ax, ay, bx, by)
    t1, d1 = _edge_closest(px, py, bx, by, cx, cy)
    t2, d2 = _edge_closest(px, py, cx, cy, ax, ay)
    if d0 <= d1 and d0 <= d2:
        return 1.0 - t0, t0, 0.0, d0
    if d1 <= d2:
        return 0.0, 1.0 - t1, t1, d1
    return t2, 0.0, 1.0 - t2, d2


@inline
def _apart(nx, ny, ax, ay, bx, by, cx, cy, x, y):
    """Whether the axis (nx, ny) separates the triangle from the square [x, x+1] × [y, y+1]."""
    a, b, c = nx * ax + ny * ay, nx * bx + ny * by, nx * cx + ny * cy
    low = nx * x + ny * y + min(nx, 0.0) + min(ny, 0.0)
    high = nx * x + ny * y + max(nx, 0.0) + max(ny, 0.0)
    return min(a, min(b, c)) > high or max(a, max(b, c)) < low


@inline
def _span(a, b, c, first, last):
    """The first and last of the texels first … last that values between the least and the greatest of three touch; none when first > last.

    Clamped as floats: what is beyond every integer, or no number at all, never becomes an index.
    """
    low, high = min(a, b, c), max(a, b, c)
    if not (low <= last + 1.0 and high >= first):
        return np.int64(1), np.int64(0)
    return np.int64(np.floor(max(low, float(first)))), np.int64(np.floor(min(high, float(last))))


@kernel(numba.void(f32[:, :, ::1], i32, f64[::1], i32[:, ::1], f32[:, :, ::1]), late=True)
def texel_corners(uvs, side, tile, corner_uv, out):
    """Corners of triangles in texel space, (t, 3, 2), x right and y down; NaN where a corner has no UV. `uvs`: (u, 1, 2), v up."""
    for t in range(len(corner_uv)):
        for k in range(3):
            i = corner_uv[t, k]
            if i < 0:
                out[t, k, 0] = out[t, k, 1] = np.nan
            else:
                out[t, k, 0] = (np.float64(uvs[i, 0, 0]) - tile[0]) * side
                out[t, k, 1] = (1 - (np.float64(uvs[i, 0, 1]) - tile[1])) * side


@inline
def _edge_reach(ax, ay, bx, by, y, low, high):
    """The least and greatest x of an edge between the heights y and y + 1, joined with what other edges gave."""
    if max(ay, by) < y or min(ay, by) > y + 1.0:
        return low, high
    first, last = ax, bx
    if ay != by:
        t, u = (y - ay) / (by - ay), (y + 1.0 - ay) / (by - ay)
        first = ax + min(max(t, 0.0), 1.0) * (bx - ax)
        last = ax + min(max(u, 0.0), 1.0) * (bx - ax)
    return min(low, first, last), max(high, first, last)


@inline
def _row_span(ax, ay, bx, by, cx, cy, y, first, last):
    """The first and last texel of a row that a triangle can touch, within first … last: a sliver costs no more than it covers."""
    low, high = _edge_reach(ax, ay, bx, by, y, np.inf, -np.inf)
    low, high = _edge_reach(bx, by, cx, cy, y, low, high)
    low, high = _edge_reach(cx, cy, ax, ay, y, low, high)
    return _span(low - ROUNDING, low, high + ROUNDING, first, last)


@kernel(numba.void(f32[:, :, ::1], i32[::1], i32, i32, i32, i32[::1], f32[::1], numba.int16[::1]), late=True)
def raster_band(uv, triangle_ids, side, y0, y1, owner, gap, left):
    """Give texels of rows y0 … y1 to triangles. `uv`: texel space, y down; `gap`: squared distance of the owner, start at inf.

    A triangle that holds the texel's centre wins over one that only touches its square; then the nearer; then the earlier.
    left : texels of each block of 16 × 16, row by row from y0, that no triangle has won by their centres yet, start at 256. Where none is
    left nothing changes any more, so layouts in which thousands of triangles lie on one place cost no more than others.
    """
    chunks, across = side // 256, side // 16
    for n in range(len(uv)):
        ax, ay = float(uv[n, 0, 0]), float(uv[n, 0, 1])
        bx, by = float(uv[n, 1, 0]), float(uv[n, 1, 1])
        cx, cy = float(uv[n, 2, 0]), float(uv[n, 2, 1])
        if not (np.isfinite(ax + bx + cx) and np.isfinite(ay + by + cy)):
            continue
        lx, hx = _span(ax, bx, cx, 0, side - 1)
        ly, hy = _span(ay, by, cy, y0, y1 - 1)
        if lx > hx:
            continue
        for y in range(ly, hy + 1):
            block = ((y - y0) >> 4) * across
            x, end = _row_span(ax, ay, bx, by, cx, cy, float(y), lx, hx)
            while x <= end:
                if left[block + (x >> 4)] == 0:
                    x = (x | 15) + 1
                    continue
                if (
                    _apart(by - ay, ax - bx, ax, ay, bx, by, cx, cy, x, y)
                    or _apart(cy - by, bx - cx, ax, ay, bx, by, cx, cy, x, y)
                    or _apart(ay - cy, cx - ax, ax, ay, bx, by, cx, cy, x, y)
                ):
                    x += 1
                    continue
                _, _, _, d = _closest_bary(x + 0.5, y + 0.5, ax, ay, bx, by, cx, cy)
                s = slot_at(x, y, chunks)
                if d < gap[s]:
                    if d == 0.0:
                        left[block + (x >> 4)] -= 1
                    gap[s] = d
                    owner[s] = triangle_ids[n]
                x += 1


@kernel(numba.void(f32[:, :, ::1], i32, i32[::1], f32[::1], numba.uint8[::1], numba.uint8[::1]), late=True)
def mark_overlaps(uv, side, owner, gap, marks, told):
    """Mark triangles (by row of `uv`) whose inside, a quarter texel in from its edges, holds the centre of a texel that another owns.

    told : a mark for every 16 texels of each row, start at 0: 1 once all their owners are marked, so that they tell nothing new of them
    """
    chunks, across = side // 256, side // 16
    for n in range(len(uv)):
        ax, ay = float(uv[n, 0, 0]), float(uv[n, 0, 1])
        bx, by = float(uv[n, 1, 0]), float(uv[n, 1, 1])
        cx, cy = float(uv[n, 2, 0]), float(uv[n, 2, 1])
        area = (bx - ax) * (cy - ay) - (cx - ax) * (by - ay)
        if not np.isfinite(area) or area == 0.0:
            continue
        la = ((cx - bx) ** 2 + (cy - by) ** 2) ** 0.5
        lb = ((ax - cx) ** 2 + (ay - cy) ** 2) ** 0.5
        lc = ((bx - ax) ** 2 + (by - ay) ** 2) ** 0.5
        inset = 0.25 / abs(area)
        lx, hx = _span(ax, bx, cx, 0, side - 1)
        ly, hy = _span(ay, by, cy, 0, side - 1)
        if lx > hx:
            continue
        for y in range(ly, hy + 1):
            x, end = _row_span(ax, ay, bx, by, cx, cy, float(y), lx, hx)
            while x <= end:
                stretch = y * across + (x >> 4)
                last = min(x | 15, end)
                if not (told[stretch] and marks[n]):
                    known = 0
                    for u in range(x, last + 1):
                        wa, wb, wc, d = _closest_bary(u + 0.5, y + 0.5, ax, ay, bx, by, cx, cy)
                        if d > 0.0 or wa < inset * la or wb < inset * lb or wc < inset * lc:
                            continue
                        s = slot_at(u, y, chunks)
                        o = owner[s]
                        if o != n and o >= 0 and gap[s] == 0.0:
                            marks[n] = 1
                            marks[o] = 1
                            known += 1
                    if known == 16:
                        told[stretch] = 1
                x = last + 1


@kernel(
    numba.void(i32[::1], f32[:, :, ::1], f32[:, :, ::1], f32[:, :, ::1], i32[::1], i32, numba.int64, numba.int64, f32[:, ::1], f32[:, ::1], i32[::1]),
    late=True,
)
def fill_samples(owner, uv, corners, normals, face_of, side, first, last, out_pos, out_nrm, out_face):
    """Position, normal and face of slots first … last; a centre outside its triangle moves to the triangle's nearest point."""
    chunks = side // 256
    for s in range(first, last):
        t = owner[s]
        if t < 0:
            out_face[s] = -1
            continue
        x, y = column_of(s, chunks) + 0.5, row_of(s, chunks) + 0.5
        wa, wb, wc, _ = _closest_bary(
            x, y, float(uv[t, 0, 0]), float(uv[t, 0, 1]), float(uv[t, 1, 0]), float(uv[t, 1, 1]), float(uv[t, 2, 0]), float(uv[t, 2, 1])
        )
        length = 0.0
        for k in range(3):
            out_pos[s, k] = wa * corners[t, 0, k] + wb * corners[t, 1, k] + wc * corners[t, 2, k]
            n = wa * normals[t, 0, k] + wb * normals[t, 1, k] + wc * normals[t, 2, k]
            out_nrm[s, k] = n
            length += n * n
        length = max(length, 1e-20) ** 0.5
        for k in range(3):
            out_nrm[s, k] /= length
        out_face[s] = face_of[t]
