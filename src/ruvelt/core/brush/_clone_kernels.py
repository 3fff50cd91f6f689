"""Loops of the clone tool: where samples read, and the codes there."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush._walk_kernels import beside, far_apart, locate, nearer
from ruvelt.core.kernels import f32_scratch, inline, kernel, u8_scratch, u16_at
from ruvelt.core.samples.address import CHUNK, block_start, chunk_of, in_block, local_of, slot_at
from ruvelt.core.samples.grid import GRID, search

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16


@inline
def _read_at(s, position, offset, begun, mirrored):
    """(x, y, z, bits): where clone reads for sample `s`, and on which sides of the mirror planes that is."""
    one, bits = np.float32(1), 0
    dx, dy, dz = offset[0], offset[1], offset[2]
    if mirrored[0] > 0 and position[s, 0] * (begun[0] if begun[0] != 0 else one) < 0:
        dx, bits = -dx, 1
    if mirrored[1] > 0 and position[s, 1] * (begun[1] if begun[1] != 0 else one) < 0:
        dy, bits = -dy, bits + 2
    if mirrored[2] > 0 and position[s, 2] * (begun[2] if begun[2] != 0 else one) < 0:
        dz, bits = -dz, bits + 4
    return position[s, 0] + dx, position[s, 1] + dy, position[s, 2] + dz, bits


@kernel(numba.void(i32[::1], f32[:, ::1], f32[::1], f32[::1], f32[::1], f32, GRID, i32[::1]), late=True)
def clone_vertices(slots, position, offset, begun, mirrored, reach, grid, out):
    """Where clone reads for vertices: their place moved by `offset`, on the far side of a mirror plane by its reflection; itself off the surface.

    begun : (3,) where the stroke began; mirrored : (3,) above 0 for planes that mirror
    """
    last = np.int64(-1)
    for at in range(len(slots)):
        px, py, pz, _ = _read_at(slots[at], position, offset, begun, mirrored)
        # What the vertex before it found is seldom far.
        known, away = nearer(px, py, pz, last, np.int64(-1), reach, position)
        found = search(px, py, pz, reach, known, away, grid)
        out[at] = found if found >= 0 else slots[at]
        last = np.int64(found)


@kernel(numba.void(i32[::1], i32, i32, f32[:, ::1], i32[::1], f32[::1], f32[::1], f32[::1], f32, GRID, i32[:, ::1], u8[::1]), late=True)
def clone_blocks(blocks, chunk, side, position, face, offset, begun, mirrored, reach, grid, found, marks):
    """The same for texels of blocks (n,) of a sheet's chunk: searched at every eighth or fourth each way, between them where the layouts run alike.

    found : (n, 256) slots that the texels of the blocks read, −1 where there is none; marks : (chunks,) made 1 where those lie
    """
    quarter, half = np.float32(0.25), np.float32(0.5)
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    # Nodes of the chunk, at every fourth texel and beyond its edges: where they read, in texels.
    nx, ny = f32_scratch((65, 65)), f32_scratch((65, 65))
    # On which sides of the mirror planes a node reads, or one of these.
    known, asked_not, nothing = u8_scratch((65, 65)), np.uint8(255), np.uint8(254)
    for j in range(65):
        for i in range(65):
            known[j, i] = asked_not
    # What was found last and for which texel, and last across a seam.
    last, whence, other = np.int64(-1), np.int64(-1), np.int64(-1)
    for at in range(len(blocks)):
        block = blocks[at]
        # All nodes of a block begin from one that was found, so that none waits for the one before it.
        fresh = True
        for square in range(4):
            j0, i0 = (block >> 4) * 4 + (square >> 1) * 2, (block & 15) * 4 + (square & 1) * 2
            even = True
            # The square's corners and middle; where its middle lies between its corners, so does all.
            for finer in range(2):
                if finer == 1 and even:
                    break
                for ask in range(9):
                    j, i = j0 + ask // 3, i0 + ask % 3
                    if known[j, i] != asked_not or (finer == 0 and (ask & 1) == 1):
                        continue
                    x, y = left + 4 * i, top + 4 * j
                    s = np.int64(slot_at(x, y, across)) if x < side and y < side else np.int64(-1)
                    known[j, i] = nothing
                    if s >= 0 and face[s] >= 0:
                        px, py, pz, bits = _read_at(s, position, offset, begun, mirrored)
                        guess = beside(last, whence, s, face, side) if last >= 0 else np.int64(-1)
                        q, ex, ey = locate(px, py, pz, guess, last, other, reach, position, face, side, grid)
                        if q >= 0:
                            known[j, i], nx[j, i], ny[j, i] = np.uint8(bits), ex, ey
                            if fresh:
                                other = last if last >= 0 and far_apart(q, last, side) else other
                                last, whence, fresh = q, s, False
                if finer == 0:
                    bits = known[j0 + 1, i0 + 1]
                    for ask in range(0, 9, 2):
                        even = even and bits != nothing and known[j0 + ask // 3, i0 + ask % 3] == bits
                    mx = (nx[j0, i0] + nx[j0, i0 + 2] + nx[j0 + 2, i0] + nx[j0 + 2, i0 + 2]) * quarter - nx[j0 + 1, i0 + 1]
                    my = (ny[j0, i0] + ny[j0, i0 + 2] + ny[j0 + 2, i0] + ny[j0 + 2, i0 + 2]) * quarter - ny[j0 + 1, i0 + 1]
                    even = even and abs(mx) + abs(my) < np.float32(0.125)
            for part in range(1 if even else 4):
                wide = 2 if even else 1
                j, i = j0 + (part >> 1), i0 + (part & 1)
                ax, bx2, cx, dx = nx[j, i], nx[j, i + wide], nx[j + wide, i], nx[j + wide, i + wide]
                ay, by2, cy, dy = ny[j, i], ny[j, i + wide], ny[j + wide, i], ny[j + wide, i + wide]
                bits = known[j, i]
                # Where the four corners of a square read from a parallelogram, so does what lies between them.
                ex, ey = ax + dx - bx2 - cx, ay + dy - by2 - cy
                far = abs(bx2 - ax) + abs(by2 - ay) + abs(cx - ax) + abs(cy - ay)
                between = bits != nothing and bits == known[j, i + wide] and bits == known[j + wide, i] and bits == known[j + wide, i + wide]
                between = between and abs(ex) + abs(ey) < quarter * np.float32(wide) and far < np.float32(64 * wide)
                step = quarter / np.float32(wide)
                if between:
                    # All between the corners lies in a box around them, a texel wider, and so in its chunks.
                    lo_x, hi_x = np.int64(min(min(ax, bx2), min(cx, dx))) - 1, np.int64(max(max(ax, bx2), max(cx, dx))) + 2
                    lo_y, hi_y = np.int64(min(min(ay, by2), min(cy, dy))) - 1, np.int64(max(max(ay, by2), max(cy, dy))) + 2
                    between = lo_x >= 0 and lo_y >= 0 and hi_x < side and hi_y < side
                    if between:
                        for cross in range(4):
                            marks[((hi_y if cross & 2 else lo_y) >> 8) * across + ((hi_x if cross & 1 else lo_x) >> 8)] = 1
                for v in range(4 * wide):
                    fy = np.float32(v) * step
                    row_x, row_y = ax + (cx - ax) * fy + half, ay + (cy - ay) * fy + half
                    along_x, along_y = (bx2 - ax + ex * fy) * step, (by2 - ay + ey * fy) * step
                    first = np.uint64(slot_at(left + 4 * i, top + 4 * j + v, across))
                    for u in range(np.uint64(4 * wide)):
                        mine = first + u
                        n = ((4 * j + v) & 15) * 16 + ((4 * i) & 15) + np.int64(u)
                        found[at, n] = -1
                        if face[mine] < 0:
                            continue
                        if between:
                            x, y = np.float32(np.int64(u)) * along_x + row_x, np.float32(np.int64(u)) * along_y + row_y
                            t = np.uint64(slot_at(np.int64(x), np.int64(y), across))
                            if face[t] >= 0:
                                found[at, n] = np.int32(t)
                                continue
                        px, py, pz, _ = _read_at(mine, position, offset, begun, mirrored)
                        guess = beside(last, whence, np.int64(mine), face, side) if last >= 0 else np.int64(-1)
                        q, _, _ = locate(px, py, pz, guess, last, other, reach, position, face, side, grid)
                        if q >= 0:
                            other = last if last >= 0 and far_apart(q, last, side) else other
                            last, whence = q, np.int64(mine)
                        q = q if q >= 0 else np.int64(mine)
                        found[at, n] = q
                        marks[chunk_of(q)] = 1


@kernel(numba.void(i32[::1], i32[::1], i64[::1], i32, u16[:, ::1]), late=True)
def fetch_values(slots, sources, pictures, comps, out):
    """Codes of other samples for samples of one chunk. pictures : (chunks,) addresses of (comps, 65536) uint16."""
    for at in range(len(slots)):
        values_u16 = u16_at(pictures[chunk_of(sources[at])], CHUNK * comps)
        for k in range(comps):
            out[k, local_of(slots[at])] = values_u16[k * CHUNK + (local_of(sources[at]))]


@kernel(numba.void(i32[::1], i32[:, ::1], i32, i64[::1], i32, u16[:, ::1]), late=True)
def fetch_blocks(blocks, found, chunk, pictures, comps, out):
    """The same for texels of blocks (n,) of a chunk. found : (n, 256) slots, −1 for none"""
    for at in range(len(blocks)):
        first = block_start(blocks[at], True)
        for n in range(256):
            q = found[at, n]
            if q < 0:
                continue
            local = first + in_block(n, True)
            values_u16 = u16_at(pictures[chunk_of(q)], CHUNK * comps)
            for k in range(comps):
                out[k, local] = values_u16[k * CHUNK + (local_of(q))]
