"""The nearest covered texel of every uncovered one: exact Euclidean distances, column after column, then row after row.

Meijster, Roerdink and Hesselink, "A general algorithm for computing distance transforms in linear time" (2000).
"""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import kernel
from ruvelt.core.samples.address import slot_at

i16, i32, i64 = numba.int16, numba.int32, numba.int64
#: A column without any covered texel.
NONE = -1


@kernel(numba.void(i32[::1], i64, i64, i64, i16[:, ::1]), late=True)
def nearest_in_columns(owner, side, x0, x1, rows):
    """For texels of columns x0 … x1 the row of the nearest covered texel of their column, the upper of two; rows : (side, side) int16."""
    chunks = side // 256
    for y in range(side):
        for x in range(x0, x1):
            if owner[slot_at(x, y, chunks)] >= 0:
                rows[y, x] = y
            else:
                rows[y, x] = rows[y - 1, x] if y > 0 else NONE
    for y in range(side - 2, -1, -1):
        for x in range(x0, x1):
            below = rows[y + 1, x]
            if below != NONE and below > y and (rows[y, x] == NONE or below - y < y - rows[y, x]):
                rows[y, x] = below


@kernel(numba.int64(i32[::1], i64, i64, i64, i64, i16[:, ::1], i32[::1], i32[::1]), late=True, allocates=True)
def nearest_in_rows(owner, side, y0, y1, limit, rows, out_dst, out_src):
    """List uncovered texels of rows y0 … y1 (slots) whose nearest covered one lies within √limit, with that; returns how many."""
    chunks = side // 256
    place = np.empty(side, np.int64)
    start = np.empty(side, np.int64)
    total = 0
    for y in range(y0, y1):
        # The lower envelope of parabolas, one for each column that holds anything: `place` their columns, `start` where each takes over.
        count = 0
        for u in range(side):
            if rows[y, u] == NONE:
                continue
            gu = np.int64(rows[y, u] - y) ** 2
            if gu > limit:
                continue
            while count > 0:
                i = place[count - 1]
                gi = np.int64(rows[y, i] - y) ** 2
                at = start[count - 1]
                if (at - i) ** 2 + gi > (at - u) ** 2 + gu:
                    count -= 1
                    continue
                break
            if count == 0:
                place[0], start[0], count = u, 0, 1
                continue
            i = place[count - 1]
            gi = np.int64(rows[y, i] - y) ** 2
            first = 1 + (u * u - i * i + gu - gi) // (2 * (u - i))
            if first < side:
                place[count], start[count] = u, first
                count += 1
        k = count - 1
        for x in range(side - 1, -1, -1):
            if k < 0:
                break
            s = slot_at(x, y, chunks)
            if owner[s] < 0:
                i = place[k]
                v = np.int64(rows[y, i])
                if (x - i) ** 2 + (v - y) ** 2 <= limit:
                    out_dst[total], out_src[total] = s, slot_at(i, v, chunks)
                    total += 1
            if x == start[k]:
                k -= 1
    return total
