"""The exact share of each square of a raster that a polygon covers, by the signed areas right of its edges."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import kernel

f32, f64 = numba.float32, numba.float64


@kernel(numba.void(f64[:, ::1], f32[:, ::1]), late=True)
def edge_areas(points, out):
    """Add the signed area that each edge of a closed polygon leaves to its right, told by differences along rows.

    points : (m, 2) corners, x right, y down; out : (height, width + 2), whose running sums along rows are winding times covered share
    """
    height, width = out.shape[0], out.shape[1] - 2
    for i in range(len(points)):
        j = i + 1 if i + 1 < len(points) else 0
        ax, ay, bx, by = points[i, 0], points[i, 1], points[j, 0], points[j, 1]
        if ay == by or not np.isfinite(ax + ay + bx + by):
            continue
        sign = 1.0
        if ay > by:
            ax, ay, bx, by, sign = bx, by, ax, ay, -1.0
        slope = (bx - ax) / (by - ay)
        for y in range(max(int(np.floor(ay)), 0), min(int(np.ceil(by)), height)):
            top, bottom = max(float(y), ay), min(y + 1.0, by)
            tall = (bottom - top) * sign
            x0, x1 = ax + (top - ay) * slope, ax + (bottom - ay) * slope
            x0, x1 = min(x0, x1), max(x0, x1)
            # Left of the raster an edge counts for all of a row, right of it for nothing.
            if x1 <= 0:
                out[y, 0] += tall
                continue
            if x0 >= width:
                continue
            if x0 < 0:
                out[y, 0] += tall * -x0 / (x1 - x0)
            inner = min(x1, float(width)) - max(x0, 0.0)
            if x1 > x0:
                tall *= inner / (x1 - x0)
            x0, x1 = max(x0, 0.0), min(x1, float(width))
            first, last = int(np.floor(x0)), int(np.ceil(x1))
            if last <= first + 1:
                share = (x0 + x1) * 0.5 - first
                out[y, first] += tall * (1 - share)
                out[y, first + 1] += tall * share
                continue
            # An edge over several squares: a triangle in the first and in the last, trapezia between.
            per = tall / (x1 - x0)
            done = 0.0
            for x in range(first, last):
                left, right = max(float(x), x0), min(x + 1.0, x1)
                # What lies right of the edge in this square, and of what ended before it.
                mine = per * (right - left) * ((x + 1.0) - 0.5 * (left + right)) + per * (left - x0)
                out[y, x] += mine - done
                done = mine
            out[y, last] += tall - done


@kernel(numba.void(f32[:, ::1], numba.boolean, f32[:, ::1]), late=True)
def covered_shares(areas, odd, out):
    """out (height, width) 0–1 from what `edge_areas` gives: all that is wound around, or with `odd` what is so an odd number of times."""
    for y in range(out.shape[0]):
        total = 0.0
        for x in range(out.shape[1]):
            total += areas[y, x]
            wound = abs(total)
            if odd:
                rest = wound % 2.0
                wound = rest if rest <= 1 else 2 - rest
            out[y, x] = min(wound, 1.0)
