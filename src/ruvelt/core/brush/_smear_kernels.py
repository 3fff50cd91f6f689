"""Loops of the smear tool: which tiles dabs reach, where the picture at samples comes from, and the codes there."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush._rich_kernels import weigh
from ruvelt.core.brush._walk_kernels import CHUNK, GRID, beside, exact_texel, locate, slot_at
from ruvelt.core.kernels import inline, kernel, u16_at
from ruvelt.core.samples.grid import search
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
FADE = np.float32(FACING_FADE_COS)
#: Texels between nodes at which a tile is traced; between them ways are curves through three nodes.
STEP = 4
NODES = 16 // STEP + 1
#: Third differences of nodes, in texels, from which every texel is traced: a curve through three is then off by a quarter of a texel.
BENT = np.float32(4)
#: Texels by which ways of neighbours may differ to have others between them.
ALIKE = np.float32(3)


@kernel(numba.void(f32[:, ::1], numba.boolean, i32, numba.boolean, *GRID, i32[::1], i32, u8[:, ::1]), late=True)
def smear_reach(dabs, flat, side, square, low, cell, dims, start, slot, xyz, seen, turn, tiles):
    """Mark tiles that may hold samples under a batch's dabs. flat : they lie in the plane of the sheet, in texels

    seen : (cells,) the `turn` at which a cell was last met; tiles : (chunks, 256)
    """
    across = side >> 8
    zero = np.float32(0)
    for d in range(len(dabs)):
        cx, cy, cz, r = dabs[d, 0], dabs[d, 1], dabs[d, 2], dabs[d, 3]
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        if flat:
            for y in range(max(int(np.floor(cy - r)), 0) >> 4, (min(int(np.floor(cy + r)), side - 1) >> 4) + 1):
                for x in range(max(int(np.floor(cx - r)), 0) >> 4, (min(int(np.floor(cx + r)), side - 1) >> 4) + 1):
                    tiles[(y >> 4) * across + (x >> 4), (y & 15) * 16 + (x & 15)] = 1
            continue
        z0 = min(max(int(np.floor((cz - r - low[2]) / cell)), 0), dims[2] - 1)
        z1 = min(max(int(np.floor((cz + r - low[2]) / cell)), 0), dims[2] - 1)
        y0 = min(max(int(np.floor((cy - r - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((cy + r - low[1]) / cell)), 0), dims[1] - 1)
        for z in range(z0, z1 + 1):
            gz = max(low[2] + np.float32(z * cell) - cz, cz - low[2] - np.float32((z + 1) * cell), zero)
            for y in range(y0, y1 + 1):
                gy = max(low[1] + np.float32(y * cell) - cy, cy - low[1] - np.float32((y + 1) * cell), zero)
                # A little more, for cells are told in float32.
                rest = r * r * np.float32(1.001) - gz * gz - gy * gy
                if rest < 0:
                    continue
                half = np.sqrt(rest)
                x0 = min(max(int(np.floor((cx - half - low[0]) / cell)), 0), dims[0] - 1)
                x1 = min(max(int(np.floor((cx + half - low[0]) / cell)), 0), dims[0] - 1)
                row = (z * dims[1] + y) * dims[0]
                for c in range(row + x0, row + x1 + 1):
                    if seen[c] == turn:
                        continue
                    seen[c] = turn
                    for j in range(start[c], start[c + 1]):
                        local = slot[j] & 65535
                        tiles[slot[j] >> 16, (((local >> 12) << 4) | ((local & 255) >> 4)) if square else local >> 8] = 1


@inline
def _dragged(ox, oy, oz, nx, ny, nz, dabs, drags, flat, tips):
    """Where what is at a point lay before a batch, and how far its largest dab reaches: traced back through the dabs, the last one first.

    drags : (n, 3) of each dab from the one before; tips : (k, side, side), or none and plain dabs
    """
    one, zero = np.float32(1), np.float32(0)
    px, py, pz, farthest = ox, oy, oz, zero
    for back in range(len(dabs)):
        d = len(dabs) - 1 - back
        r = dabs[d, 3]
        dx, dy, dz = px - dabs[d, 0], py - dabs[d, 1], pz - dabs[d, 2]
        off_sq = dx * dx + dy * dy + dz * dz
        # A picture has corners.
        if not off_sq < r * r * (np.float32(2) if len(tips) > 0 else one):
            continue
        if len(tips) > 0:
            along, across = (dabs[d, 7], dabs[d, 8], dabs[d, 9]), (dabs[d, 10], dabs[d, 11], dabs[d, 12])
            up, tip = (dabs[d, 4], dabs[d, 5], dabs[d, 6]), np.int64(dabs[d, 19])
            hard = max(zero, min(dabs[d, 14], np.float32(0.98)))
            w, _, _ = weigh(
                dx, dy, dz, nx, ny, nz, one / r, along, across, up, dabs[d, 13], hard, dabs[d, 17], dabs[d, 18], tip, dabs[d, 20],
                dabs[d, 30] > zero, tips,
            )  # fmt: skip
        else:
            w = one
            hard = max(zero, min(dabs[d, 14], np.float32(0.98)))
            off = np.sqrt(off_sq) / r
            if off > hard:
                t = (off - hard) / (one - hard)
                w = one - t * t * (np.float32(3) - np.float32(2) * t)
            if dabs[d, 17] > 0 and not flat:
                w *= min(max((nx * dabs[d, 4] + ny * dabs[d, 5] + nz * dabs[d, 6]) / FADE, zero), one)
        w *= dabs[d, 16]
        px, py, pz = px - w * drags[d, 0], py - w * drags[d, 1], pz - w * drags[d, 2]
        farthest = max(farthest, r)
    return px, py, pz, farthest


@inline
def _way(s, x, y, guess, other, dabs, drags, flat, tips, position, normal, face, side, low, cell, dims, start, slot, xyz):
    """(texel found or −1, dx, dy): from texel (x, y), slot `s`, to where its picture lay before a batch, in texels. What came from off the
    surface stays where it is."""
    zero, half = np.float32(0), np.float32(0.5)
    across = side >> 8
    if flat:
        ox, oy = np.float32(x) + half, np.float32(y) + half
        px, py, _, _ = _dragged(ox, oy, zero, zero, zero, np.float32(1), dabs, drags, flat, tips)
        ix, iy = np.int64(np.floor(px)), np.int64(np.floor(py))
        q = np.int64(slot_at(ix, iy, across)) if 0 <= ix < side and 0 <= iy < side else np.int64(-1)
        if q < 0 or face[q] < 0:
            return np.int64(-1), zero, zero
        return q, px - ox, py - oy
    ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
    px, py, pz, farthest = _dragged(ox, oy, oz, normal[s, 0], normal[s, 1], normal[s, 2], dabs, drags, flat, tips)
    if px == ox and py == oy and pz == oz:
        return s, zero, zero
    q = locate(px, py, pz, guess, other, farthest, position, face, side, low, cell, dims, start, slot, xyz)
    if q < 0 or normal[q, 0] * normal[s, 0] + normal[q, 1] * normal[s, 1] + normal[q, 2] * normal[s, 2] <= zero:
        return np.int64(-1), zero, zero
    ex, ey = exact_texel(px, py, pz, q, position, face, side)
    qc = q >> 16
    qx, qy = np.float32((qc % across) * 256 + (q & 255)), np.float32((qc // across) * 256 + ((q & 65535) >> 8))
    # A point between islands is that of the texel found.
    ex, ey = min(max(ex, qx - half), qx + half), min(max(ey, qy - half), qy + half)
    return q, ex - np.float32(x), ey - np.float32(y)


@inline
def _carried(mx, my, side, face, shift):
    """(whether there is a texel, x, y): where the picture at texel coordinates comes from by earlier batches."""
    one, half = np.float32(1), np.float32(0.5)
    across = side >> 8
    nx, ny = np.int64(np.floor(mx + half)), np.int64(np.floor(my + half))
    if not (0 <= nx < side and 0 <= ny < side):
        return False, mx, my
    near = np.int64(slot_at(nx, ny, across))
    if face[near] < 0:
        return False, mx, my
    sx, sy = shift[near, 0], shift[near, 1]
    x0, y0 = np.int64(np.floor(mx)), np.int64(np.floor(my))
    if x0 >= 0 and y0 >= 0 and x0 + 1 < side and y0 + 1 < side:
        a, b = np.int64(slot_at(x0, y0, across)), np.int64(slot_at(x0 + 1, y0, across))
        c, e = np.int64(slot_at(x0, y0 + 1, across)), np.int64(slot_at(x0 + 1, y0 + 1, across))
        if face[a] >= 0 and face[b] >= 0 and face[c] >= 0 and face[e] >= 0:
            ax, bx, cx, ex = shift[a, 0], shift[b, 0], shift[c, 0], shift[e, 0]
            ay, by, cy, ey = shift[a, 1], shift[b, 1], shift[c, 1], shift[e, 1]
            unlike = max(max(abs(ax - sx), abs(bx - sx)), max(abs(cx - sx), abs(ex - sx)))
            unlike = max(unlike, max(max(abs(ay - sy), abs(by - sy)), max(abs(cy - sy), abs(ey - sy))))
            if unlike < ALIKE:
                fx, fy = mx - np.float32(x0), my - np.float32(y0)
                sx = (ax * (one - fx) + bx * fx) * (one - fy) + (cx * (one - fx) + ex * fx) * fy
                sy = (ay * (one - fx) + by * fx) * (one - fy) + (cy * (one - fx) + ey * fx) * fy
    return True, mx + sx, my + sy


@inline
def _curve(t, a, b, c):
    """The parabola through a, b and c at −1, 0 and 1."""
    half = np.float32(0.5)
    return b + t * (half * (c - a) + t * (half * (a + c) - b))


@inline
def _bend(a, b, c, d):
    return abs(d - a + np.float32(3) * (b - c))


@kernel(
    numba.void(i32[::1], numba.boolean, f32[:, ::1], f32[:, ::1], numba.boolean, f32[:, :, ::1], i32, f32[:, ::1], f32[:, ::1], i32[::1], *GRID,
               u8[::1], f32[:, ::1], f32[:, :, ::1]),
    late=True,
)  # fmt: skip
def smear_tiles(
    tiles, coarse, dabs, drags, flat, tips, side, position, normal, face, low, cell, dims, start, slot, xyz, allowed, shift, moved
):  # fmt: skip
    """Where the picture at texels comes from after a batch: back through its dabs, then on by earlier batches.

    tiles : (n,) chunk · 256 + tile; coarse : whether dabs are wide enough to trace every fourth texel
    shift : (slots, 2) from each texel to its source so far, in texels; moved : (n, 256, 2) the same after the batch
    """
    across = side >> 8
    nx, ny = np.zeros((NODES, NODES), np.float32), np.zeros((NODES, NODES), np.float32)
    known = np.zeros((NODES, NODES), np.uint8)
    row_x, row_y = np.zeros(3, np.float32), np.zeros(3, np.float32)
    last, before = np.int64(-1), np.int64(-1)
    for at in range(len(tiles)):
        chunk, tile = np.int64(tiles[at]) >> 8, np.int64(tiles[at]) & 255
        bx, by = (chunk % across) * 256 + (tile & 15) * 16, (chunk // across) * 256 + (tile >> 4) * 16
        if coarse:
            for j in range(NODES):
                for i in range(NODES):
                    x, y = bx + i * STEP, by + j * STEP
                    s = np.int64(slot_at(x, y, across)) if x < side and y < side else np.int64(-1)
                    known[j, i] = 0
                    if s >= 0 and face[s] >= 0:
                        guess = beside(s, before, last, face, side) if last >= 0 else s
                        q, nx[j, i], ny[j, i] = _way(
                            s, x, y, guess if guess >= 0 else s, last, dabs, drags, flat, tips, position, normal, face, side,
                            low, cell, dims, start, slot, xyz,
                        )  # fmt: skip
                        if q >= 0:
                            known[j, i], last, before = 1, q, s
        for part in range(4):
            i0, j0 = (part & 1) * 2, (part >> 1) * 2
            smooth = coarse
            if coarse:
                # Four nodes along each line of the quarter: its own three and the next.
                i3, j3 = min(i0, NODES - 4), min(j0, NODES - 4)
                for k in range(3):
                    for m in range(4):
                        smooth = smooth and known[j0 + k, i3 + m] > 0 and known[j3 + m, i0 + k] > 0
                    j, i = j0 + k, i0 + k
                    across_x = _bend(nx[j, i3], nx[j, i3 + 1], nx[j, i3 + 2], nx[j, i3 + 3])
                    across_y = _bend(ny[j, i3], ny[j, i3 + 1], ny[j, i3 + 2], ny[j, i3 + 3])
                    down_x = _bend(nx[j3, i], nx[j3 + 1, i], nx[j3 + 2, i], nx[j3 + 3, i])
                    down_y = _bend(ny[j3, i], ny[j3 + 1, i], ny[j3 + 2, i], ny[j3 + 3, i])
                    worst = max(max(across_x, across_y), max(down_x, down_y))
                    smooth = smooth and worst < BENT
            for v in range(j0 * STEP, j0 * STEP + 8):
                if smooth:
                    t = np.float32(v - (j0 + 1) * STEP) / np.float32(STEP)
                    for k in range(3):
                        row_x[k] = _curve(t, nx[j0, i0 + k], nx[j0 + 1, i0 + k], nx[j0 + 2, i0 + k])
                        row_y[k] = _curve(t, ny[j0, i0 + k], ny[j0 + 1, i0 + k], ny[j0 + 2, i0 + k])
                for u in range(i0 * STEP, i0 * STEP + 8):
                    x, y = bx + u, by + v
                    s = np.int64(slot_at(x, y, across))
                    n = v * 16 + u
                    moved[at, n, 0], moved[at, n, 1] = shift[s, 0], shift[s, 1]
                    if face[s] < 0 or (len(allowed) > 0 and allowed[s] == 0):
                        continue
                    there, sx, sy = False, np.float32(0), np.float32(0)
                    own_x, own_y = np.float32(x), np.float32(y)
                    if smooth:
                        t = np.float32(u - (i0 + 1) * STEP) / np.float32(STEP)
                        dx, dy = _curve(t, row_x[0], row_x[1], row_x[2]), _curve(t, row_y[0], row_y[1], row_y[2])
                        if dx == 0 and dy == 0:
                            continue
                        there, sx, sy = _carried(own_x + dx, own_y + dy, side, face, shift)
                    if not there:
                        guess = beside(s, before, last, face, side) if last >= 0 else s
                        q, dx, dy = _way(
                            s, x, y, guess if guess >= 0 else s, last, dabs, drags, flat, tips, position, normal, face, side,
                            low, cell, dims, start, slot, xyz,
                        )  # fmt: skip
                        if q >= 0:
                            last, before = q, s
                        if q < 0 or (dx == 0 and dy == 0):
                            continue
                        there, sx, sy = _carried(own_x + dx, own_y + dy, side, face, shift)
                    if there:
                        moved[at, n, 0], moved[at, n, 1] = sx - own_x, sy - own_y


@kernel(numba.void(i32[::1], f32[:, :, ::1], i32[::1], f32[:, ::1], f32[::1], u8[:, ::1]), late=True)
def smear_take_tiles(tiles, moved, face, shift, coverage, dirty):
    """Put what a batch traced in its place. coverage : how far a texel is told by its source: fully once that lies a texel away."""
    for at in range(len(tiles)):
        chunk, tile = tiles[at] >> 8, tiles[at] & 255
        first = chunk * CHUNK + ((tile >> 4) << 12) + ((tile & 15) << 4)
        for n in range(256):
            s = first + ((n >> 4) << 8) + (n & 15)
            x, y = moved[at, n, 0], moved[at, n, 1]
            if face[s] >= 0 and (x != shift[s, 0] or y != shift[s, 1]):
                shift[s, 0], shift[s, 1] = x, y
                coverage[s] = max(coverage[s], min(np.sqrt(x * x + y * y), np.float32(1)))
                dirty[chunk, tile] = 1


@kernel(numba.void(i32[::1], i32, i32, i32[::1], f32[:, ::1], u8[::1]), late=True)
def smear_sources(tiles, chunk, side, face, shift, marks):
    """Mark the chunks that texels of a chunk's tiles come from. marks : (chunks,)"""
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    for at in range(len(tiles)):
        first = ((tiles[at] >> 4) << 12) + ((tiles[at] & 15) << 4)
        for n in range(256):
            local = first + ((n >> 4) << 8) + (n & 15)
            s = chunk * CHUNK + local
            if face[s] < 0:
                continue
            x = np.int64(np.floor(np.float32(left + (local & 255)) + shift[s, 0]))
            y = np.int64(np.floor(np.float32(top + (local >> 8)) + shift[s, 1]))
            marks[(y >> 8) * across + (x >> 8)] = 1
            # Between four texels of up to four chunks.
            if (x & 255) == 255 or (y & 255) == 255:
                right, below = min(x + 1, side - 1) >> 8, min(y + 1, side - 1) >> 8
                marks[(y >> 8) * across + right] = 1
                marks[below * across + (x >> 8)] = 1
                marks[below * across + right] = 1


@kernel(numba.void(i32[::1], i32, i32[::1], i32, f32[:, ::1], i64[::1], i32, numba.boolean, u16[:, ::1]), late=True)
def smear_codes(tiles, chunk, face, side, shift, pictures, comps, multiplied, out):
    """Codes at the sources of texels of a chunk's tiles, between the four texels around each.

    pictures : (chunks,) addresses of (comps, 65536) uint16 of all chunks that hold sources; multiplied : colours are by alpha, the last,
    and are taken out of it; out : (comps, 65536)
    """
    across = side >> 8
    one, half, zero, full = np.float32(1), np.float32(0.5), np.float32(0), np.float32(65535)
    left, top = (chunk % across) * 256, (chunk // across) * 256
    mean = np.zeros(4, np.float32)
    for at in range(len(tiles)):
        first = ((tiles[at] >> 4) << 12) + ((tiles[at] & 15) << 4)
        for n in range(256):
            local = first + ((n >> 4) << 8) + (n & 15)
            s = np.int64(chunk * CHUNK + local)
            if face[s] < 0:
                continue
            px, py = np.float32(left + (local & 255)) + shift[s, 0], np.float32(top + (local >> 8)) + shift[s, 1]
            x0, y0 = min(max(np.int64(np.floor(px)), 0), side - 1), min(max(np.int64(np.floor(py)), 0), side - 1)
            x1, y1 = min(x0 + 1, side - 1), min(y0 + 1, side - 1)
            fx, fy = min(max(px - np.float32(x0), zero), one), min(max(py - np.float32(y0), zero), one)
            a, b = np.int64(slot_at(x0, y0, across)), np.int64(slot_at(x1, y0, across))
            c, e = np.int64(slot_at(x0, y1, across)), np.int64(slot_at(x1, y1, across))
            if face[a] < 0 or face[b] < 0 or face[c] < 0 or face[e] < 0:
                # A corner that is no sample takes the nearest one's place.
                q = (e if fy > half else b) if fx > half else (c if fy > half else a)
                q = q if face[q] >= 0 else s
                a, b = (a if face[a] >= 0 else q), (b if face[b] >= 0 else q)
                c, e = (c if face[c] >= 0 else q), (e if face[e] >= 0 else q)
            at_a, at_b = u16_at(pictures[a >> 16], CHUNK * comps), u16_at(pictures[b >> 16], CHUNK * comps)
            at_c, at_e = u16_at(pictures[c >> 16], CHUNK * comps), u16_at(pictures[e >> 16], CHUNK * comps)
            for k in range(comps):
                row = k * CHUNK
                upper = np.float32(at_a[row + (a & 65535)]) * (one - fx) + np.float32(at_b[row + (b & 65535)]) * fx
                lower = np.float32(at_c[row + (c & 65535)]) * (one - fx) + np.float32(at_e[row + (e & 65535)]) * fx
                mean[k] = upper * (one - fy) + lower * fy
            gain = full / max(mean[comps - 1], one) if multiplied else one
            for k in range(comps):
                code = mean[k] * gain if k < comps - 1 or not multiplied else mean[k]
                out[k, local] = np.uint16(min(code, full) + half)


# -- vertices: each is traced, and reads the vertex nearest to its source --------------------------------------------------------


@kernel(
    numba.void(i32[::1], f32[:, ::1], f32[:, ::1], f32[:, :, ::1], f32[:, ::1], f32[:, ::1], i32[::1], *GRID, u8[::1], f32[:, ::1], i32[::1],
               f32[:, :, ::1], i32[:, ::1]),
    late=True,
)  # fmt: skip
def smear_vertices(tiles, dabs, drags, tips, position, normal, face, low, cell, dims, start, slot, xyz, allowed, shift, source, moved, found):
    """The same for vertices. shift : (slots, 3) object space; source : (slots,) the vertex there plus one, 0 for none; moved, found : after it"""
    for at in range(len(tiles)):
        for n in range(256):
            s = np.int64(tiles[at]) * 256 + n
            for k in range(3):
                moved[at, n, k] = shift[s, k]
            found[at, n] = source[s]
            if face[s] < 0 or (len(allowed) > 0 and allowed[s] == 0):
                continue
            ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
            px, py, pz, farthest = _dragged(ox, oy, oz, normal[s, 0], normal[s, 1], normal[s, 2], dabs, drags, False, tips)
            if px == ox and py == oy and pz == oz:
                continue
            q = np.int64(search(px, py, pz, farthest, low, cell, dims, start, slot, xyz))
            if q < 0 or normal[q, 0] * normal[s, 0] + normal[q, 1] * normal[s, 1] + normal[q, 2] * normal[s, 2] <= 0:
                continue
            mx, my, mz = px - ox + shift[q, 0], py - oy + shift[q, 1], pz - oz + shift[q, 2]
            origin = np.int64(search(ox + mx, oy + my, oz + mz, farthest, low, cell, dims, start, slot, xyz))
            if origin < 0:
                origin = np.int64(source[q]) - 1 if source[q] > 0 else q
            moved[at, n, 0], moved[at, n, 1], moved[at, n, 2] = mx, my, mz
            found[at, n] = origin + 1


@kernel(numba.void(i32[::1], f32[:, :, ::1], i32[:, ::1], f32, f32[:, ::1], i32[::1], f32[::1], u8[:, ::1]), late=True)
def smear_take_vertices(tiles, moved, found, spacing, shift, source, coverage, dirty):
    """The same for vertices: told fully by a source that lies a spacing away."""
    for at in range(len(tiles)):
        for n in range(256):
            s = tiles[at] * 256 + n
            x, y, z = moved[at, n, 0], moved[at, n, 1], moved[at, n, 2]
            if found[at, n] != source[s] or x != shift[s, 0] or y != shift[s, 1] or z != shift[s, 2]:
                shift[s, 0], shift[s, 1], shift[s, 2], source[s] = x, y, z, found[at, n]
                coverage[s] = max(coverage[s], min(np.sqrt(x * x + y * y + z * z) / spacing, np.float32(1)))
                dirty[tiles[at] >> 8, tiles[at] & 255] = 1
