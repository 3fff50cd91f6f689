"""Growing along the surface: the largest value within a distance of each sample."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import i64_scratch, inline, kernel
from ruvelt.core.samples.grid import GRID
from ruvelt.core.samples.pieces import PIECES, SCRATCH

f32, f64, i32, i64 = numba.float32, numba.float64, numba.int32, numba.int64
#: Samples whose normals disagree more (cosine) lie on the other side of a wall.
APART = np.float32(-0.3)


@kernel(numba.void(i32[::1], f32[::1], f32[::1], f32[::1]), late=True)
def cell_ranges(start, values, least, most):
    """least, most : (cells,) of the sorted values in each cell of the grid; 1 and 0 for empty cells."""
    for c in range(len(start) - 1):
        low, high = np.float32(1), np.float32(0)
        for j in range(start[c], start[c + 1]):
            low, high = min(low, values[j]), max(high, values[j])
        least[c], most[c] = low, high


@inline
def reach_pieces(piece, low, high, pieces, mark, scratch):
    """Stamp with `mark` the pieces that hang together with one over pieces of cells from `low` to `high`, (3,) each."""
    place, next_to, beside, version, queue = pieces.place, pieces.start, pieces.beside, scratch.mark, scratch.queue
    x0, y0, z0, x1, y1, z1 = low[0], low[1], low[2], high[0], high[1], high[2]
    version[piece], queue[0] = mark, piece
    head, tail = 0, 1
    while head < tail:
        at = queue[head]
        head += 1
        for j in range(next_to[at], next_to[at + 1]):
            other = beside[j]
            if version[other] == mark:
                continue
            x, y, z = place[other, 0], place[other, 1], place[other, 2]
            if x0 <= x <= x1 and y0 <= y <= y1 and z0 <= z <= z1:
                version[other], queue[tail] = mark, other
                tail += 1


@kernel(
    numba.void(
        GRID, PIECES, SCRATCH, f32[::1], f32[::1], f32[::1], numba.types.UniTuple(f64, 3), i64, i64, f32[::1], f32[::1],
    ),
    late=True,
)  # fmt: skip
def grow_values(grid, pieces, scratch, values, gone, most, reach, first, last, out, out_gone):
    """Largest value within a stride of the sorted samples in cells first … last, as long as it has not gone further than the whole way.

    Only samples that hang together count, and of those only what does not face away, on the far side of a rim.
    gone : how far the value at each sample has come; reach : the stride, the whole way, and the end of it over which a value fades, or 0
    """
    cell, dims, start, xyz, normal, piece, version = grid.cell, grid.dims, grid.start, grid.xyz, grid.normal, pieces.piece, scratch.mark
    stride, whole, fade = np.float32(reach[0]), np.float32(reach[1]), np.float32(reach[2])
    scale = np.float32(1 / (127.0 * 127.0))
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    across = np.int64(np.ceil((stride + fade) / cell))
    inverse = one / fade if fade > zero else zero
    low, high = i64_scratch(3), i64_scratch(3)
    for c in range(first, last):
        if start[c] == start[c + 1]:
            continue
        cx, cy, cz = c % dims[0], (c // dims[0]) % dims[1], c // (dims[0] * dims[1])
        x0, x1 = max(cx - across, 0), min(cx + across, dims[0] - 1)
        y0, y1 = max(cy - across, 0), min(cy + across, dims[1] - 1)
        z0, z1 = max(cz - across, 0), min(cz + across, dims[2] - 1)
        low[0], low[1], low[2], high[0], high[1], high[2] = x0, y0, z0, x1, y1, z1
        highest = zero
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                for q in range(row + x0, row + x1 + 1):
                    highest = max(highest, most[q])
        # Each piece of the cell in its turn, unless an earlier one reached it; most cells have one.
        for turn in range(start[c], start[c + 1]):
            if version[piece[turn]] >= start[c]:
                continue
            reached = np.int32(turn)
            reach_pieces(piece[turn], low, high, pieces, reached, scratch)
            for i in range(turn, start[c + 1]):
                if version[piece[i]] != reached:
                    continue
                best, direction = values[i], gone[i]
                if best >= highest:
                    out[i], out_gone[i] = best, direction
                    continue
                px, py, pz = xyz[0, i], xyz[1, i], xyz[2, i]
                nx, ny, nz = np.float32(normal[0, i]), np.float32(normal[1, i]), np.float32(normal[2, i])
                for z in range(z0, z1 + 1):
                    for y in range(y0, y1 + 1):
                        row = (z * dims[1] + y) * dims[0]
                        for q in range(row + x0, row + x1 + 1):
                            if most[q] <= values[i] or most[q] < best:
                                continue
                            for j in range(start[q], start[q + 1]):
                                if values[j] <= values[i] or values[j] < best or version[piece[j]] != reached:
                                    continue
                                dx, dy, dz = xyz[0, j] - px, xyz[1, j] - py, xyz[2, j] - pz
                                d = np.sqrt(dx * dx + dy * dy + dz * dz)
                                left = whole - gone[j] - d
                                if d > stride + fade or left < -half * fade:
                                    continue
                                if (nx * normal[0, j] + ny * normal[1, j] + nz * normal[2, j]) * scale < APART:
                                    continue
                                share = one if fade == zero else min(left * inverse + half, one)
                                v = values[i] + (values[j] - values[i]) * share
                                # Of equal values the one that came the shorter way gets further.
                                if v > best or (v == best and gone[j] + d < direction):
                                    best, direction = v, gone[j] + d
                out[i], out_gone[i] = best, direction
