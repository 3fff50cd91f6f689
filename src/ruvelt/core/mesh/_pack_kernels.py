"""The packer's loops: islands as bits, and the first place where one fits."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel

f32, i32, i64, u64 = numba.float32, numba.int32, numba.int64, numba.uint64


@inline
def _side(ax, ay, bx, by, x, y):
    return (bx - ax) * (y - ay) - (by - ay) * (x - ax)


@inline
def _set_bit(bits, x, y):
    bits[y, x >> 6] |= u64(1) << u64(x & 63)


@kernel(numba.void(f32[:, ::1], i32[:, ::1], i64, u64[:, ::1]), late=True)
def cover_cells(places, triangles, room, bits):
    """Mark every unit cell that a triangle of (n, 2) places touches, and those within `room` cells around; `bits`: (rows, words) of 0.

    Cells are tested against the triangle's edges grown by half a cell's diagonal, so that slivers count too. Places lie `room` + 1 inside.
    """
    grown = np.float32(0.7072)
    for t in range(len(triangles)):
        ax, ay = places[triangles[t, 0], 0], places[triangles[t, 0], 1]
        bx, by = places[triangles[t, 1], 0], places[triangles[t, 1], 1]
        cx, cy = places[triangles[t, 2], 0], places[triangles[t, 2], 1]
        if _side(ax, ay, bx, by, cx, cy) < 0:
            bx, by, cx, cy = cx, cy, bx, by
        la = max(np.sqrt((bx - ax) ** 2 + (by - ay) ** 2), np.float32(1e-12))
        lb = max(np.sqrt((cx - bx) ** 2 + (cy - by) ** 2), np.float32(1e-12))
        lc = max(np.sqrt((ax - cx) ** 2 + (ay - cy) ** 2), np.float32(1e-12))
        x0, x1 = i64(np.floor(min(ax, bx, cx))), i64(np.floor(max(ax, bx, cx)))
        y0, y1 = i64(np.floor(min(ay, by, cy))), i64(np.floor(max(ay, by, cy)))
        for y in range(max(y0, 0), min(y1, bits.shape[0] - 1) + 1):
            py = np.float32(y) + np.float32(0.5)
            for x in range(max(x0, 0), min(x1, bits.shape[1] * 64 - 1) + 1):
                px = np.float32(x) + np.float32(0.5)
                a, b, c = _side(ax, ay, bx, by, px, py), _side(bx, by, cx, cy, px, py), _side(cx, cy, ax, ay, px, py)
                if a >= -grown * la and b >= -grown * lb and c >= -grown * lc:
                    _set_bit(bits, x, y)
    if room > 0:
        _grow(bits, room)


@inline
def _grow(bits, room):
    """Every set cell, and the square of `room` cells around it."""
    height, words = bits.shape
    for _ in range(room):
        for y in range(height):
            before = u64(0)
            for w in range(words):
                own = bits[y, w]
                after = bits[y, w + 1] if w + 1 < words else u64(0)
                bits[y, w] = own | (own << u64(1)) | (own >> u64(1)) | (before >> u64(63)) | (after << u64(63))
                before = own
        for x in range(words):
            before = u64(0)
            for y in range(height):
                own = bits[y, x]
                after = bits[y + 1, x] if y + 1 < height else u64(0)
                bits[y, x] = own | before | after
                before = own


@inline
def _free(atlas, island, x, y):
    shift, first = u64(x & 63), x >> 6
    for row in range(island.shape[0]):
        for w in range(island.shape[1]):
            own = island[row, w]
            if own == 0:
                continue
            if atlas[y + row, first + w] & (own << shift):
                return False
            if shift > 0 and (atlas[y + row, first + w + 1] & (own >> (u64(64) - shift))):
                return False
    return True


@kernel(i64(u64[:, ::1], u64[:, ::1], i64, i64, i64, i64), late=True)
def first_fit(atlas, island, width, height, side, start):
    """The lowest, then leftmost place (y · side + x) from `start` on where an island of width × height cells fits; -1 where there is none.

    atlas : (side, words + spare) bits, spare words so that none is looked for beyond the end
    """
    for y in range(start // side, side - height + 1):
        for x in range(start % side if y == start // side else 0, side - width + 1):
            if _free(atlas, island, x, y):
                return y * side + x
    return -1


@kernel(numba.void(u64[:, ::1], u64[:, ::1], i64, i64), late=True)
def put(atlas, island, x, y):
    """Mark an island's cells in the atlas."""
    shift, first = u64(x & 63), x >> 6
    for row in range(island.shape[0]):
        for w in range(island.shape[1]):
            own = island[row, w]
            if own == 0:
                continue
            atlas[y + row, first + w] |= own << shift
            if shift > 0:
                atlas[y + row, first + w + 1] |= own >> (u64(64) - shift)
