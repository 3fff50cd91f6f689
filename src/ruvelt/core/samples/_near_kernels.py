"""Means of neighbouring samples, for blurs that are hardly wider than these lie apart."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core._fading_kernels import left_of
from ruvelt.core.kernels import f32_scratch, i64_scratch, inline, kernel
from ruvelt.core.samples._spread_kernels import APART, reach_pieces
from ruvelt.core.samples.grid import GRID
from ruvelt.core.samples.pieces import PIECES, SCRATCH

f32, f64, i32, i64 = numba.float32, numba.float64, numba.int32, numba.int64
#: Neighbours that are weighed at once.
ROOM = 1024


@inline
def _eighth(xyz, i, low, cell, cx, cy, cz):
    """Which eighth of a cell a sorted sample lies in."""
    half = np.float32(0.5)
    x = xyz[0, i] > low[0] + (np.float32(cx) + half) * np.float32(cell)
    y = xyz[1, i] > low[1] + (np.float32(cy) + half) * np.float32(cell)
    z = xyz[2, i] > low[2] + (np.float32(cz) + half) * np.float32(cell)
    return np.int64(x) + 2 * np.int64(y) + 4 * np.int64(z)


@inline
def _add(near, taken, own, held, xyz, normal, widths, radius, weights, total, out):
    """Add neighbours to the sums of the sorted samples own[:held]."""
    zero, least = np.float32(0), APART * np.float32(127.0 * 127.0)
    most, n = radius * radius, np.uint64(taken)
    for o in range(held):
        i = own[o]
        px, py, pz = xyz[0, i], xyz[1, i], xyz[2, i]
        nx, ny, nz = np.float32(normal[0, i]), np.float32(normal[1, i]), np.float32(normal[2, i])
        steep, weight = np.float32(0.5) / (widths[i] * widths[i]), zero
        # Without a branch, so that this becomes vector instructions.
        for j in range(n):
            dx, dy, dz = near[0, j] - px, near[1, j] - py, near[2, j] - pz
            d = dx * dx + dy * dy + dz * dz
            w = near[6, j] * left_of(d * steep)
            w = w if d < most else zero
            weights[j] = w if nx * near[3, j] + ny * near[4, j] + nz * near[5, j] > least else zero
        for j in range(n):
            weight += weights[j]
        total[i] += weight
        for k in range(len(out)):
            held = zero
            for j in range(n):
                held += weights[j] * near[7 + k, j]
            out[k, i] += held


@kernel(
    numba.void(
        GRID, PIECES, SCRATCH, f32[::1], f32[::1], f32, f32[:, ::1], i64, i64, f32[::1], f32[:, ::1],
    ),
    late=True, fastmath={"reassoc", "nsz"},
)  # fmt: skip
def near_means(grid, pieces, scratch, areas, widths, radius, values, first, last, total, out):
    """out (k, n) : means of `values` around the sorted samples in cells first … last, by exp(−d²/2w²) times area, of what hangs together.

    widths : (n,) w of each sample; radius : nothing further counts; k up to 8; total : (n,) to work in
    """
    cell, dims, start, xyz, normal, piece, version = grid.cell, grid.dims, grid.start, grid.xyz, grid.normal, pieces.piece, scratch.mark
    zero = np.float32(0)
    near, weights, own, box = f32_scratch((15, ROOM)), f32_scratch(ROOM), i64_scratch(ROOM), f32_scratch((2, 3))
    across, comps = np.int64(np.ceil(radius / cell)), len(values)
    low, high = i64_scratch(3), i64_scratch(3)
    for c in range(first, last):
        if start[c] == start[c + 1]:
            continue
        cx, cy, cz = c % dims[0], (c // dims[0]) % dims[1], c // (dims[0] * dims[1])
        x0, x1 = max(cx - across, 0), min(cx + across, dims[0] - 1)
        y0, y1 = max(cy - across, 0), min(cy + across, dims[1] - 1)
        z0, z1 = max(cz - across, 0), min(cz + across, dims[2] - 1)
        low[0], low[1], low[2], high[0], high[1], high[2] = x0, y0, z0, x1, y1, z1
        # Each piece of the cell in its turn, unless an earlier one reached it; most cells have one.
        for turn in range(start[c], start[c + 1]):
            if version[piece[turn]] >= start[c]:
                continue
            reached = np.int32(turn)
            reach_pieces(piece[turn], low, high, pieces, reached, scratch)
            for i in range(turn, start[c + 1]):
                if version[piece[i]] == reached:
                    total[i] = zero
                    for k in range(comps):
                        out[k, i] = zero
            # By eighths of the cell, so that few neighbours are weighed in vain.
            eighth, ahead = 0, turn
            while eighth < 8:
                held = 0
                for axis in range(3):
                    box[0, axis], box[1, axis] = np.float32(np.inf), np.float32(-np.inf)
                while ahead < start[c + 1] and held < ROOM:
                    i, ahead = ahead, ahead + 1
                    if version[piece[i]] != reached or _eighth(xyz, i, grid.low, cell, cx, cy, cz) != eighth:
                        continue
                    own[held], held = i, held + 1
                    for axis in range(3):
                        box[0, axis], box[1, axis] = min(box[0, axis], xyz[axis, i] - radius), max(box[1, axis], xyz[axis, i] + radius)
                if held == 0:
                    eighth, ahead = eighth + 1, turn
                    continue
                taken = 0
                for z in range(z0, z1 + 1):
                    for y in range(y0, y1 + 1):
                        row = (z * dims[1] + y) * dims[0]
                        # Cells of a row lie one after the other.
                        for j in range(start[row + x0], start[row + x1 + 1]):
                            x, y_, z_ = xyz[0, j], xyz[1, j], xyz[2, j]
                            inside = box[0, 0] < x < box[1, 0] and box[0, 1] < y_ < box[1, 1] and box[0, 2] < z_ < box[1, 2]
                            if not inside or version[piece[j]] != reached:
                                continue
                            near[0, taken], near[1, taken], near[2, taken] = x, y_, z_
                            for k in range(3):
                                near[3 + k, taken] = np.float32(normal[k, j])
                            near[6, taken] = areas[j]
                            for k in range(comps):
                                near[7 + k, taken] = values[k, j]
                            taken += 1
                            if taken == ROOM:
                                _add(near, taken, own, held, xyz, normal, widths, radius, weights, total, out)
                                taken = 0
                _add(near, taken, own, held, xyz, normal, widths, radius, weights, total, out)
            for i in range(turn, start[c + 1]):
                if version[piece[i]] == reached:
                    for k in range(comps):
                        out[k, i] = out[k, i] / total[i] if total[i] > zero else values[k, i]
