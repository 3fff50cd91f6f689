"""Loops of pushing: which blocks dabs reach, where the picture at samples comes from, and the codes there."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush._dab_kernels import block_bits, smooth
from ruvelt.core.brush._rich_kernels import grained, weigh
from ruvelt.core.brush._walk_kernels import beside, far_apart, locate, nearer
from ruvelt.core.brush.dab import BENT, CAP, DEPTH, FACING, FLIP, HARDNESS, LONG, NORMAL, RADIUS, ROUNDNESS, SHORT, TIP, TRAVELLED, X, Y, Z, vector
from ruvelt.core.brush.tip_arrays import TIPS
from ruvelt.core.kernels import f32_scratch, i64_scratch, inline, kernel, u8_scratch, u16_at, u16_scratch, u32_scratch, u64_at
from ruvelt.core.samples._cell_kernels import cell_at, first_texel, last_texel
from ruvelt.core.samples.address import CHUNK, block_of, block_start, chunk_of, column_of, first_slot, in_block, local_of, row_of, slot_at
from ruvelt.core.samples.arrays import SAMPLES
from ruvelt.core.samples.grid import search
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8, u16, u64 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16, numba.uint64
FADE = np.float32(FACING_FADE_COS)
#: A block's texels and those of its neighbours at its edge.
LINE = 17
MOST = LINE * LINE
#: Texels between nodes at which a block is traced, and where ways bend too much between those; between nodes ways are curves through three.
WIDE, NARROW = 4, 2
#: Third differences of nodes, in texels, from which nodes lie closer: a curve through three is then off by a quarter of a texel.
BENDS = np.float32(4)
UNASKED, KNOWN, NOWHERE, BETWEEN = 0, 1, 2, 3
#: Texels by which ways of neighbours may differ to have others between them.
ALIKE = np.float32(3)


@kernel(numba.void(f32[:, ::1], numba.boolean, SAMPLES, i32[::1], i32, u8[:, ::1]), late=True)
def push_reach(dabs, flat, samples, seen, turn, blocks):
    """Mark blocks that may hold samples under a batch's dabs. flat : they lie in the plane of the sheet, in texels

    seen : (cells,) the `turn` at which a cell was last met; blocks : (chunks, 256)
    """
    grid, side, is_sheet = samples.grid, samples.side, samples.is_sheet
    low, cell, dims, start, slot = grid.low, grid.cell, grid.dims, grid.start, grid.slot
    across = side >> 8
    zero = np.float32(0)
    within, marked = block_bits(is_sheet), ~np.uint64(0)
    for d in range(len(dabs)):
        cx, cy, cz, r = dabs[d, X], dabs[d, Y], dabs[d, Z], dabs[d, RADIUS]
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        if flat:
            for y in range(first_texel(cy - r, side) >> 4, (last_texel(cy + r, side) >> 4) + 1):
                for x in range(first_texel(cx - r, side) >> 4, (last_texel(cx + r, side) >> 4) + 1):
                    blocks[(y >> 4) * across + (x >> 4), (y & 15) * 16 + (x & 15)] = 1
            continue
        z0 = cell_at((cz - r - low[2]) / cell, dims[2])
        z1 = cell_at((cz + r - low[2]) / cell, dims[2])
        y0 = cell_at((cy - r - low[1]) / cell, dims[1])
        y1 = cell_at((cy + r - low[1]) / cell, dims[1])
        for z in range(z0, z1 + 1):
            gz = max(low[2] + np.float32(z * cell) - cz, cz - low[2] - np.float32((z + 1) * cell), zero)
            for y in range(y0, y1 + 1):
                gy = max(low[1] + np.float32(y * cell) - cy, cy - low[1] - np.float32((y + 1) * cell), zero)
                # A little more, for cells are told in float32.
                rest = r * r * np.float32(1.001) - gz * gz - gy * gy
                if rest < 0:
                    continue
                half = np.sqrt(rest)
                x0 = cell_at((cx - half - low[0]) / cell, dims[0])
                x1 = cell_at((cx + half - low[0]) / cell, dims[0])
                row = (z * dims[1] + y) * dims[0]
                for c in range(row + x0, row + x1 + 1):
                    if seen[c] == turn:
                        continue
                    seen[c] = turn
                    for j in range(np.uint64(start[c]), np.uint64(start[c + 1])):
                        s = np.uint64(slot[j])
                        # Samples of one block follow each other.
                        if s & within != marked:
                            marked = s & within
                            blocks[s >> np.uint64(16), block_of(np.int64(s), is_sheet)] = 1


@inline
def _largest(dabs):
    """Radius of the largest dab."""
    farthest = np.float32(0)
    for d in range(len(dabs)):
        farthest = max(farthest, dabs[d, RADIUS])
    return farthest


@inline
def ball_of(first, is_sheet, position, face):
    """(x, y, z, radius) of a ball around the samples of a block that begins at slot `first`."""
    far, half = np.float32(1e30), np.float32(0.5)
    x0, x1, y0, y1, z0, z1 = far, -far, far, -far, far, -far
    for n in range(256):
        s = first + in_block(n, is_sheet)
        if face[s] >= 0:
            x0, x1 = min(x0, position[s, 0]), max(x1, position[s, 0])
            y0, y1 = min(y0, position[s, 1]), max(y1, position[s, 1])
            z0, z1 = min(z0, position[s, 2]), max(z1, position[s, 2])
    cx, cy, cz = (x0 + x1) * half, (y0 + y1) * half, (z0 + z1) * half
    return cx, cy, cz, np.sqrt((x1 - cx) * (x1 - cx) + (y1 - cy) * (y1 - cy) + (z1 - cz) * (z1 - cz))


@inline
def _reached(cx, cy, cz, around, dabs, drags, widened, order):
    """How many dabs may drag what lies within `around` of a centre; order : (n,) their places, the last one first."""
    count, travel = 0, np.float32(0)
    for back in range(len(dabs)):
        d = len(dabs) - 1 - back
        dx, dy, dz = cx - dabs[d, X], cy - dabs[d, Y], cz - dabs[d, Z]
        far = dabs[d, RADIUS] * widened + around + travel
        if dx * dx + dy * dy + dz * dz < far * far:
            order[count] = d
            count += 1
            # What later dabs dragged came from that far.
            travel += np.sqrt(drags[d, 0] * drags[d, 0] + drags[d, 1] * drags[d, 1] + drags[d, 2] * drags[d, 2])
    return count


@inline
def _trace(count, px, py, pz, nx, ny, nz, order, reached, dabs, drags, flat, pictures):
    """Move points to where what is at them lay before a batch: back through its dabs, the last one first.

    px … nz : points and the normals they began with; drags : (n, 3) of each dab from the one before; pictures : none of plain dabs; their grain
    holds back what is dragged over its gaps
    """
    tips, grain_depth = pictures.pictures, pictures.grain.depth
    one, zero = np.float32(1), np.float32(0)
    for m in range(reached):
        d = order[m]
        cx, cy, cz, r, inv = dabs[d, X], dabs[d, Y], dabs[d, Z], dabs[d, RADIUS], one / dabs[d, RADIUS]
        ux, uy, uz, strength = dabs[d, NORMAL], dabs[d, NORMAL + 1], dabs[d, NORMAL + 2], dabs[d, CAP]
        gx, gy, gz = drags[d, 0], drags[d, 1], drags[d, 2]
        hard = max(zero, min(dabs[d, HARDNESS], np.float32(0.98)))
        if len(tips) > 0:
            along, across, up = vector(dabs, d, LONG), vector(dabs, d, SHORT), (ux, uy, uz)
            tip = np.int64(dabs[d, TIP])
            for i in range(count):
                dx, dy, dz = px[i] - cx, py[i] - cy, pz[i] - cz
                # A picture has corners.
                if dx * dx + dy * dy + dz * dz < np.float32(2) * r * r:
                    w, a, b = weigh(
                        dx, dy, dz, nx[i], ny[i], nz[i], inv, along, across, up, dabs[d, ROUNDNESS], hard, one,
                        dabs[d, FACING], dabs[d, DEPTH], tip, dabs[d, FLIP], dabs[d, BENT] > zero, tips,
                    )  # fmt: skip
                    if grain_depth > 0 and w > zero:
                        w *= grained(
                            pictures.grain, flat, px[i], py[i], pz[i], nx[i], ny[i], nz[i],
                            dabs[d, TRAVELLED] + a * r, b * dabs[d, ROUNDNESS] * r,
                        )  # fmt: skip
                    w *= strength
                    px[i], py[i], pz[i] = px[i] - w * gx, py[i] - w * gy, pz[i] - w * gz
            continue
        slope, inv_sq = one / (one - hard * hard), inv * inv
        scale, bias = (one / FADE, zero) if dabs[d, FACING] > 0 and not flat else (zero, one)
        # Without a branch, so that this becomes vector instructions; beyond the dab the weight is 0 exactly.
        for i in range(np.uint64(count)):
            dx, dy, dz = px[i] - cx, py[i] - cy, pz[i] - cz
            s = smooth((one - (dx * dx + dy * dy + dz * dz) * inv_sq) * slope)
            cosine = bias + scale * (nx[i] * ux + ny[i] * uy + nz[i] * uz)
            cosine = one if cosine > one else cosine
            cosine = zero if cosine < zero else cosine
            w = strength * cosine * s
            px[i], py[i], pz[i] = px[i] - w * gx, py[i] - w * gy, pz[i] - w * gz


@inline
def _squares(count, mx, my, side, corners, fx, fy):
    """The four texels around points of a sheet, (4, n) slots, and how far between them, (n,) each. Without a branch: vector instructions."""
    zero, edge = np.float32(0), np.float32(side - 1)
    across, one, eight, last = np.uint32(side >> 8), np.uint32(1), np.uint32(8), np.uint32(side - 1)
    for i in range(np.uint64(count)):
        x, y = (mx[i] if mx[i] > zero else zero), (my[i] if my[i] > zero else zero)
        x, y = (x if x < edge else edge), (y if y < edge else edge)
        whole_x, whole_y = np.int32(x), np.int32(y)
        fx[i], fy[i] = x - np.float32(whole_x), y - np.float32(whole_y)
        x0, y0 = np.uint32(whole_x), np.uint32(whole_y)
        x1, y1 = x0 + one, y0 + one
        x1, y1 = (x1 if x1 < last else last), (y1 if y1 < last else last)
        low = (((y0 >> eight) * across) << np.uint32(16)) + ((y0 & np.uint32(255)) << eight)
        high = (((y1 >> eight) * across) << np.uint32(16)) + ((y1 & np.uint32(255)) << eight)
        left = ((x0 >> eight) << np.uint32(16)) + (x0 & np.uint32(255))
        right = ((x1 >> eight) << np.uint32(16)) + (x1 & np.uint32(255))
        corners[0, i], corners[1, i], corners[2, i], corners[3, i] = low + left, low + right, high + left, high + right


@inline
def _between(a, b, share):
    return a + (b - a) * share


@inline
def _apart(a, b, c, e):
    """How far four numbers lie apart."""
    high, low = (a if a > b else b), (a if a < b else b)
    high, low = (high if high > c else c), (low if low < c else c)
    high, low = (high if high > e else e), (low if low < e else e)
    return high - low


@inline
def _carry(count, mx, my, side, face, shift, corners, fx, fy, around, whole):
    """Where the picture at points comes from by earlier batches, in place of them. whole : (n,) made 0 where there is no texel.

    around : (8, n) to work in
    """
    half = np.float32(0.5)
    unlike = np.int32(0)
    _squares(count, mx, my, side, corners, fx, fy)
    for i in range(np.uint64(count)):
        a, b, c, e = np.uint64(corners[0, i]), np.uint64(corners[1, i]), np.uint64(corners[2, i]), np.uint64(corners[3, i])
        around[0, i], around[1, i], around[2, i], around[3, i] = shift[a, 0], shift[b, 0], shift[c, 0], shift[e, 0]
        around[4, i], around[5, i], around[6, i], around[7, i] = shift[a, 1], shift[b, 1], shift[c, 1], shift[e, 1]
        whole[i] = 1 if (face[a] | face[b] | face[c] | face[e]) >= 0 else 0
    for i in range(np.uint64(count)):
        apart_x, apart_y = (
            _apart(around[0, i], around[1, i], around[2, i], around[3, i]),
            _apart(around[4, i], around[5, i], around[6, i], around[7, i]),
        )
        alike = (apart_x if apart_x > apart_y else apart_y) < ALIKE
        around[0, i] = _between(_between(around[0, i], around[1, i], fx[i]), _between(around[2, i], around[3, i], fx[i]), fy[i])
        around[4, i] = _between(_between(around[4, i], around[5, i], fx[i]), _between(around[6, i], around[7, i], fx[i]), fy[i])
        whole[i] &= np.uint8(alike)
        unlike += np.int32(1) - np.int32(whole[i])
    for i in range(np.uint64(count if unlike > 0 else 0)):
        if whole[i] == 0:
            # The nearest texel's; beyond the sheet there is none.
            near = np.uint64(corners[(1 if fx[i] >= half else 0) + (2 if fy[i] >= half else 0), i])
            inside = mx[i] >= -half and my[i] >= -half and mx[i] < np.float32(side) - half and my[i] < np.float32(side) - half
            whole[i] = 1 if inside and face[near] >= 0 else 0
            around[0, i], around[4, i] = shift[near, 0], shift[near, 1]
    for i in range(np.uint64(count)):
        mx[i], my[i] = mx[i] + around[0, i], my[i] + around[4, i]


@inline
def _curve(t, a, b, c):
    """The parabola through a, b and c at −1, 0 and 1."""
    half = np.float32(0.5)
    return b + t * (half * (c - a) + t * (half * (a + c) - b))


@inline
def _bend(direction, y, x, down, right):
    """How much a curve through the first three of four nodes on a line misses the fourth."""
    return abs(
        direction[y + 3 * down, x + 3 * right]
        - direction[y, x]
        + np.float32(3) * (direction[y + down, x + right] - direction[y + 2 * down, x + 2 * right])
    )


@inline
def _even(wx, wy, state, left, top, step, third):
    """Whether ways run evenly over three nodes each way, from (left, top): told by four nodes along each line, from `third` where these end."""
    for k in range(3):
        for m in range(4):
            if state[top + k * step, third[0] + m * step] != KNOWN or state[third[1] + m * step, left + k * step] != KNOWN:
                return False
        if not max(_bend(wx, top + k * step, third[0], 0, step), _bend(wy, top + k * step, third[0], 0, step)) < BENDS:
            return False
        if not max(_bend(wx, third[1], left + k * step, step, 0), _bend(wy, third[1], left + k * step, step, 0)) < BENDS:
            return False
    return True


@inline
def _fill(wx, wy, state, left, top, step):
    """Lay curves between three nodes each way."""
    for v in range(2 * step):
        t = np.float32(v - step) / np.float32(step)
        ax = _curve(t, wx[top, left], wx[top + step, left], wx[top + 2 * step, left])
        bx = _curve(t, wx[top, left + step], wx[top + step, left + step], wx[top + 2 * step, left + step])
        cx = _curve(t, wx[top, left + 2 * step], wx[top + step, left + 2 * step], wx[top + 2 * step, left + 2 * step])
        ay = _curve(t, wy[top, left], wy[top + step, left], wy[top + 2 * step, left])
        by = _curve(t, wy[top, left + step], wy[top + step, left + step], wy[top + 2 * step, left + step])
        cy = _curve(t, wy[top, left + 2 * step], wy[top + step, left + 2 * step], wy[top + 2 * step, left + 2 * step])
        for u in range(2 * step):
            if state[top + v, left + u] == UNASKED:
                t = np.float32(u - step) / np.float32(step)
                wx[top + v, left + u], wy[top + v, left + u] = _curve(t, ax, bx, cx), _curve(t, ay, by, cy)
                state[top + v, left + u] = BETWEEN


@kernel(
    numba.void(i32[::1], numba.boolean, f32[:, ::1], f32[:, ::1], numba.boolean, TIPS, SAMPLES, u8[::1], i64[::1], f32[:, ::1], f32[:, ::1],
               f32[:, :, ::1]),
    late=True,
)  # fmt: skip
def push_blocks(blocks, coarse, dabs, drags, flat, tip, samples, allowed, order, balls, shift, moved):
    """Where the picture at texels comes from after a batch: back through its dabs, then on by earlier batches.

    blocks : (n,) chunk · 256 + block; coarse : whether dabs are wide enough to trace every fourth texel; order : (dabs,) to work in
    balls : (blocks of the sheet, 4) around each block's texels, radius 0 for those not known so far
    shift : (slots, 2) from each texel to its source so far, in texels; moved : (n, 256, 2) the same after the batch
    """
    position, normal, face, grid, side = samples.position, samples.normal, samples.face, samples.grid, samples.side
    tips = tip.pictures
    across = side >> 8
    half, zero, one = np.float32(0.5), np.float32(0), np.float32(1)
    wx, wy, state, ask = f32_scratch((LINE, LINE)), f32_scratch((LINE, LINE)), u8_scratch((LINE, LINE)), i64_scratch((MOST, 2))
    px, py, pz, nx, ny, nz = f32_scratch(MOST), f32_scratch(MOST), f32_scratch(MOST), f32_scratch(MOST), f32_scratch(MOST), f32_scratch(MOST)
    corners, between, fx, fy, whole = u32_scratch((4, 256)), f32_scratch((8, 256)), f32_scratch(256), f32_scratch(256), u8_scratch(256)
    widened = np.sqrt(np.float32(2)) if len(tips) > 0 else one
    farthest = _largest(dabs)
    last, before, other = np.int64(-1), np.int64(-1), np.int64(-1)
    for at in range(len(blocks)):
        first = first_slot(np.int64(blocks[at]), True)
        left, top = column_of(first, across), row_of(first, across)
        for n in range(256):
            s = first + in_block(n, True)
            moved[at, n, 0], moved[at, n, 1] = shift[s, 0], shift[s, 1]
        # Of the flat sheet, in texels.
        cx, cy, cz, around = np.float32(left + 8), np.float32(top + 8), zero, np.float32(12)
        if not flat:
            ball = np.int64(blocks[at])
            if balls[ball, 3] == 0:
                balls[ball, 0], balls[ball, 1], balls[ball, 2], balls[ball, 3] = ball_of(first, True, position, face)
            cx, cy, cz, around = balls[ball, 0], balls[ball, 1], balls[ball, 2], balls[ball, 3]
        reached = _reached(cx, cy, cz, around, dabs, drags, widened, order)
        if reached == 0:
            continue
        for j in range(LINE):
            for i in range(LINE):
                state[j, i] = UNASKED
        lost = 0
        # Wide nodes, narrow ones where ways bend too much, all texels where they still do, and those whose place between nodes led nowhere.
        for stage in range(4):
            asked = 0
            if stage == 0 and coarse:
                for j in range(0, LINE, WIDE):
                    for i in range(0, LINE, WIDE):
                        ask[asked, 0], ask[asked, 1] = i, j
                        asked += 1
            elif stage == 1 and coarse:
                for part in range(4):
                    i0, j0 = (part & 1) * 8, (part >> 1) * 8
                    if _even(wx, wy, state, i0, j0, WIDE, ((part & 1) * WIDE, (part >> 1) * WIDE)):
                        _fill(wx, wy, state, i0, j0, WIDE)
                        continue
                    for j in range(j0, j0 + 9, NARROW):
                        for i in range(i0, i0 + 9, NARROW):
                            if state[j, i] == UNASKED or state[j, i] == BETWEEN:
                                ask[asked, 0], ask[asked, 1] = i, j
                                asked += 1
                                # Asked once, though neighbours share it.
                                state[j, i] = NOWHERE
            elif stage == 2:
                for part in range(16):
                    i0, j0 = (part & 3) * 4, (part >> 2) * 4
                    if coarse and (state[j0 + 1, i0 + 1] == BETWEEN):
                        continue
                    third = ((i0 & 8) + (NARROW if i0 & 4 else 0), (j0 & 8) + (NARROW if j0 & 4 else 0))
                    if coarse and _even(wx, wy, state, i0, j0, NARROW, third):
                        _fill(wx, wy, state, i0, j0, NARROW)
                        continue
                    for j in range(j0, j0 + 4):
                        for i in range(i0, i0 + 4):
                            if state[j, i] == UNASKED:
                                ask[asked, 0], ask[asked, 1] = i, j
                                asked += 1
            elif stage == 3:
                asked = lost
            # What lies off the surface has no way; the others are traced together.
            count = 0
            for k in range(asked):
                i, j = ask[k, 0], ask[k, 1]
                x, y = left + i, top + j
                s = np.int64(slot_at(x, y, across)) if x < side and y < side else np.int64(-1)
                state[j, i] = NOWHERE
                wx[j, i], wy[j, i] = zero, zero
                if s < 0 or face[s] < 0:
                    continue
                if flat:
                    px[count], py[count], pz[count] = np.float32(x) + half, np.float32(y) + half, zero
                    nx[count], ny[count], nz[count] = zero, zero, one
                else:
                    px[count], py[count], pz[count] = position[s, 0], position[s, 1], position[s, 2]
                    nx[count], ny[count], nz[count] = normal[s, 0], normal[s, 1], normal[s, 2]
                ask[count, 0], ask[count, 1] = i, j
                count += 1
            _trace(count, px, py, pz, nx, ny, nz, order, reached, dabs, drags, flat, tip)
            for k in range(count):
                i, j = ask[k, 0], ask[k, 1]
                x, y = left + i, top + j
                s = np.int64(slot_at(x, y, across))
                if flat:
                    ix, iy = np.int64(np.floor(px[k])), np.int64(np.floor(py[k]))
                    if 0 <= ix < side and 0 <= iy < side and face[slot_at(ix, iy, across)] >= 0:
                        wx[j, i], wy[j, i] = px[k] - (np.float32(x) + half), py[k] - (np.float32(y) + half)
                        state[j, i] = KNOWN
                elif px[k] == position[s, 0] and py[k] == position[s, 1] and pz[k] == position[s, 2]:
                    state[j, i] = KNOWN
                    other = last if last >= 0 and far_apart(last, s, side) else other
                    last, before = s, s
                else:
                    guess = beside(s, before, last, face, side) if last >= 0 else s
                    q, ex, ey = locate(
                        px[k], py[k], pz[k], guess if guess >= 0 else s, last, other, farthest, position, face, side, grid,
                    )  # fmt: skip
                    # What came from off the surface stays where it is.
                    if q >= 0 and normal[q, 0] * nx[k] + normal[q, 1] * ny[k] + normal[q, 2] * nz[k] > zero:
                        wx[j, i], wy[j, i] = ex - np.float32(x), ey - np.float32(y)
                        state[j, i] = KNOWN
                        other = last if last >= 0 and far_apart(last, q, side) else other
                        last, before = q, s
            if stage < 2:
                continue
            # What moved now is carried on by earlier batches.
            going = 0
            for k in range(256 if stage == 2 else count):
                i, j = k & 15, k >> 4
                if stage == 3:
                    i, j = ask[k, 0], ask[k, 1]
                s = first + (j << 8) + i
                if (wx[j, i] != 0 or wy[j, i] != 0) and face[s] >= 0 and (len(allowed) == 0 or allowed[s] != 0):
                    ask[going, 0], ask[going, 1] = i, j
                    px[going], py[going] = np.float32(left + i) + wx[j, i], np.float32(top + j) + wy[j, i]
                    going += 1
            _carry(going, px, py, side, face, shift, corners, fx, fy, between, whole)
            for k in range(going):
                i, j = ask[k, 0], ask[k, 1]
                if whole[k] != 0:
                    moved[at, j * 16 + i, 0], moved[at, j * 16 + i, 1] = px[k] - np.float32(left + i), py[k] - np.float32(top + j)
                elif state[j, i] == BETWEEN:
                    ask[lost, 0], ask[lost, 1] = i, j
                    lost += 1
            if lost == 0:
                break


@kernel(numba.void(i32[::1], f32[:, :, ::1], f32[:, ::1], f32[::1], u8[:, ::1]), late=True)
def push_take_blocks(blocks, moved, shift, coverage, dirty):
    """Put what a batch traced in its place. coverage : how far a texel is told by its source: fully once that lies a texel away."""
    one = np.float32(1)
    for at in range(np.uint64(len(blocks))):
        first = np.uint64(first_slot(np.int64(blocks[at]), True))
        unlike = np.uint8(0)
        for row in range(np.uint64(16)):
            begin, mine = first + row * np.uint64(256), row * np.uint64(16)
            # What did not move keeps its values; without a branch this becomes vector instructions.
            for i in range(np.uint64(16)):
                s = begin + i
                x, y = moved[at, mine + i, 0], moved[at, mine + i, 1]
                unlike |= np.uint8(x != shift[s, 0]) | np.uint8(y != shift[s, 1])
                shift[s, 0], shift[s, 1] = x, y
                told = np.sqrt(x * x + y * y)
                told = told if told < one else one
                coverage[s] = told if told > coverage[s] else coverage[s]
        if unlike:
            dirty[chunk_of(first), block_of(first, True)] = 1


#: Values of a texel in a picture that holds them side by side, whatever the channel has.
DEEP = 4
ALL = 256 * DEEP


@kernel(numba.void(i64, i32, numba.boolean, u16[:, ::1]), late=True)
def side_by_side(plane, comps, multiplied, out):
    """Values of a chunk's texels next to each other. plane : address of (comps, 65536) uint16; multiplied : colours times alpha, the last of them

    out : (65536, 4) uint16
    """
    half, u = np.float32(0.5), np.float32(1 / 65535)
    held = u16_at(plane, CHUNK * comps)
    top = np.uint64((comps - 1) * CHUNK)
    for k in range(DEEP):
        row, direction = np.uint64(min(k, comps - 1) * CHUNK), np.uint64(k)
        if multiplied and k < comps - 1:
            for i in range(np.uint64(CHUNK)):
                out[i, direction] = np.uint16(np.int32(np.float32(held[row + i]) * (np.float32(held[top + i]) * u) + half))
        else:
            for i in range(np.uint64(CHUNK)):
                out[i, direction] = held[row + i]


@inline
def _put(held, corner, n, pictures, s, missing):
    """Take the values of texel `s`, all at once; False where its picture is missing."""
    picture = pictures[s >> np.uint64(16)]
    if picture == 0:
        missing[s >> np.uint64(16)] = 1
        return False
    told = u64_at(picture, CHUNK)[s & np.uint64(65535)]
    at = n * np.uint64(DEEP)
    held[corner, at], held[corner, at + np.uint64(1)] = np.uint16(told), np.uint16(told >> np.uint64(16))
    held[corner, at + np.uint64(2)], held[corner, at + np.uint64(3)] = np.uint16(told >> np.uint64(32)), np.uint16(told >> np.uint64(48))
    return True


#: From how many texels to one a picture is squeezed enough to be averaged; readings each way.
SQUEEZED, READINGS = np.float32(1.5), 16
#: Least distance over the surface, share of the distance in the layout, of two ends of one piece of the picture; over a seam it is torn.
WHOLE_PIECE = np.float32(0.3)


@inline
def _steps(p, n, home, face, direction):
    """How far sources lie apart from a texel of a block to the next one, along x for `way` 1 or y for 16: of both neighbours, or of one."""
    at = n & 15 if direction == 1 else n >> 4
    row = 1 if direction == 1 else 256
    s = home + in_block(n, True)
    back, on = at > 0 and face[s - row] >= 0, at < 15 and face[s + row] >= 0
    begin, end = (n - direction if back else n), (n + direction if on else n)
    step = p[end] - p[begin]
    return step * np.float32(0.5) if back and on else step


@inline
def _torn(x, y, dx, dy, side, spacing, position, face):
    """Whether what lies (dx, dy) texels apart around a place is not one piece of the surface."""
    half, chunks = np.float32(0.5), side >> 8
    x0, y0 = np.int64(np.floor(x - half * dx + half)), np.int64(np.floor(y - half * dy + half))
    x1, y1 = np.int64(np.floor(x + half * dx + half)), np.int64(np.floor(y + half * dy + half))
    if not (0 <= x0 < side and 0 <= y0 < side and 0 <= x1 < side and 0 <= y1 < side):
        return True
    s, t = np.int64(slot_at(x0, y0, chunks)), np.int64(slot_at(x1, y1, chunks))
    if face[s] < 0 or face[t] < 0:
        return True
    wx, wy, wz = position[s, 0] - position[t, 0], position[s, 1] - position[t, 1], position[s, 2] - position[t, 2]
    least = WHOLE_PIECE * spacing * (np.sqrt(dx * dx + dy * dy) - np.float32(1.5))
    return np.sqrt(wx * wx + wy * wy + wz * wz) < least


@inline
def _squeezed(px, py, n, home, face, position, spacing, side, pictures, missing, mean):
    """Where a picture is squeezed, mean[n · 4 …] = the mean over all that comes to lie on texel n. False where pictures are missing."""
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    ax, ay, bx, by = _steps(px, n, home, face, 1), _steps(py, n, home, face, 1), _steps(px, n, home, face, 16), _steps(py, n, home, face, 16)
    across, down = np.sqrt(ax * ax + ay * ay), np.sqrt(bx * bx + by * by)
    if across > SQUEEZED and _torn(px[n], py[n], ax, ay, side, spacing, position, face):
        ax, ay, across = zero, zero, zero
    if down > SQUEEZED and _torn(px[n], py[n], bx, by, side, spacing, position, face):
        bx, by, down = zero, zero, zero
    if not (across > SQUEEZED or down > SQUEEZED):
        return True
    many_x, many_y = int(np.ceil(across)), int(np.ceil(down))
    many_x, many_y = min(max(many_x, 1), READINGS), min(max(many_y, 1), READINGS)
    count, chunks = zero, side >> 8
    v0, v1, v2, v3 = zero, zero, zero, zero
    whole = True
    for j in range(many_y):
        t = (np.float32(j) + half) / np.float32(many_y) - half
        for i in range(many_x):
            q = (np.float32(i) + half) / np.float32(many_x) - half
            x, y = np.int64(np.floor(px[n] + q * ax + t * bx + half)), np.int64(np.floor(py[n] + q * ay + t * by + half))
            if x < 0 or y < 0 or x >= side or y >= side:
                continue
            s = np.int64(slot_at(x, y, chunks))
            if face[s] < 0:
                continue
            picture = pictures[chunk_of(s)]
            if picture == 0:
                missing[chunk_of(s)] = 1
                whole = False
                continue
            told, low = u64_at(picture, CHUNK)[np.uint64(local_of(s))], np.uint64(65535)
            v0, v1 = v0 + np.float32(np.int32(told & low)), v1 + np.float32(np.int32((told >> np.uint64(16)) & low))
            v2, v3 = v2 + np.float32(np.int32((told >> np.uint64(32)) & low)), v3 + np.float32(np.int32(told >> np.uint64(48)))
            count += one
    if count > zero and whole:
        inverse = one / count
        mean[n * DEEP], mean[n * DEEP + 1], mean[n * DEEP + 2], mean[n * DEEP + 3] = v0 * inverse, v1 * inverse, v2 * inverse, v3 * inverse
    return whole


@kernel(numba.boolean(i32[::1], i32, i32[::1], f32[:, ::1], f32, i32, f32[:, ::1], i64[::1], i32, numba.boolean, u8[::1], u16[:, ::1]), late=True)
def push_values(blocks, chunk, face, position, spacing, side, shift, pictures, comps, multiplied, missing, out):
    """Codes at the sources of texels of a chunk's blocks, between the four texels around each, or over all that is squeezed into it.

    pictures : (chunks,) addresses of (65536, 4) uint16, 0 for chunks not read so far; multiplied : colours are by alpha, the last,
    and are taken out of it; missing : (chunks,) made 1 for those that are needed and not there; out : (comps, 65536)
    Returns whether some are missing: then codes are right once they were fetched and this was done anew.
    """
    across = side >> 8
    one, half, full = np.float32(1), np.float32(0.5), np.float32(65535)
    left, top = (chunk % across) * 256, (chunk // across) * 256
    px, py, fx, fy, gain, corners = f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), f32_scratch(256), u32_scratch((4, 256))
    lacking = False
    held, deep_fx, deep_fy, mean = u16_scratch((4, ALL)), f32_scratch(ALL), f32_scratch(ALL), f32_scratch(ALL)
    for corner in range(4):
        for n in range(ALL):
            held[corner, n] = 0
    for at in range(len(blocks)):
        first = block_start(np.int64(blocks[at]), True)
        home = np.uint64(chunk * CHUNK + first)
        for n in range(np.uint64(256)):
            u, v = n & np.uint64(15), n >> np.uint64(4)
            s = home + (v << np.uint64(8)) + u
            px[n] = np.float32(np.int32(left + (first & 255)) + np.int32(u)) + shift[s, 0]
            py[n] = np.float32(np.int32(top + (first >> 8)) + np.int32(v)) + shift[s, 1]
        _squares(256, px, py, side, corners, fx, fy)
        for n in range(np.uint64(256)):
            a, b, c, e = np.uint64(corners[0, n]), np.uint64(corners[1, n]), np.uint64(corners[2, n]), np.uint64(corners[3, n])
            if (face[a] | face[b] | face[c] | face[e]) < 0:
                s = home + ((n >> np.uint64(4)) << np.uint64(8)) + (n & np.uint64(15))
                if face[s] < 0:
                    continue
                # A corner that is no sample takes the nearest one's place.
                q = (e if fy[n] > half else b) if fx[n] > half else (c if fy[n] > half else a)
                q = q if face[q] >= 0 else s
                a, b = (a if face[a] >= 0 else q), (b if face[b] >= 0 else q)
                c, e = (c if face[c] >= 0 else q), (e if face[e] >= 0 else q)
            whole = _put(held, 0, n, pictures, a, missing) & _put(held, 1, n, pictures, b, missing)
            whole &= _put(held, 2, n, pictures, c, missing) & _put(held, 3, n, pictures, e, missing)
            lacking |= not whole
            for k in range(DEEP):
                deep_fx[n * np.uint64(DEEP) + np.uint64(k)], deep_fy[n * np.uint64(DEEP) + np.uint64(k)] = fx[n], fy[n]
        for n in range(np.uint64(ALL)):
            upper = _between(np.float32(held[0, n]), np.float32(held[1, n]), deep_fx[n])
            lower = _between(np.float32(held[2, n]), np.float32(held[3, n]), deep_fx[n])
            mean[n] = _between(upper, lower, deep_fy[n])
        for n in range(256):
            if face[np.int64(home) + in_block(n, True)] >= 0:
                lacking |= not _squeezed(px, py, n, np.int64(home), face, position, spacing, side, pictures, missing, mean)
        for n in range(np.uint64(256)):
            alpha = mean[n * np.uint64(DEEP) + np.uint64(DEEP - 1)]
            gain[n] = full / (alpha if alpha > one else one) if multiplied else one
        for k in range(comps):
            # The last one is repeated up to the fourth.
            direction, own = np.uint64(k if k < comps - 1 else DEEP - 1), multiplied and k < comps - 1
            for n in range(np.uint64(256)):
                code = mean[n * np.uint64(DEEP) + direction] * (gain[n] if own else one)
                code = (code if code < full else full) + half
                out[k, np.uint64(first) + ((n >> np.uint64(4)) << np.uint64(8)) + (n & np.uint64(15))] = np.uint16(np.int32(code))
    return lacking


# -- vertices: each is traced, and reads the vertex nearest to its source --------------------------------------------------------


@kernel(
    numba.void(i32[::1], f32[:, ::1], f32[:, ::1], TIPS, SAMPLES, u8[::1], i64[::1], f32[:, ::1], i32[::1], f32[:, :, ::1], i32[:, ::1]),
    late=True,
)
def push_vertices(blocks, dabs, drags, tip, samples, allowed, order, shift, source, moved, found):
    """The same for vertices. shift : (slots, 3) object space; source : (slots,) the vertex there plus one, 0 for none; moved, found : after it"""
    position, normal, face, grid, tips = samples.position, samples.normal, samples.face, samples.grid, tip.pictures
    px, py, pz, nx, ny, nz, who = (
        f32_scratch(256),
        f32_scratch(256),
        f32_scratch(256),
        f32_scratch(256),
        f32_scratch(256),
        f32_scratch(256),
        i64_scratch(256),
    )
    widened = np.sqrt(np.float32(2)) if len(tips) > 0 else np.float32(1)
    farthest = _largest(dabs)
    for at in range(len(blocks)):
        first = np.int64(blocks[at]) * 256
        count = 0
        for n in range(256):
            s = first + n
            for k in range(3):
                moved[at, n, k] = shift[s, k]
            found[at, n] = source[s]
            if face[s] >= 0 and (len(allowed) == 0 or allowed[s] != 0):
                who[count], px[count], py[count], pz[count] = s, position[s, 0], position[s, 1], position[s, 2]
                nx[count], ny[count], nz[count] = normal[s, 0], normal[s, 1], normal[s, 2]
                count += 1
        cx, cy, cz, around = ball_of(first, False, position, face)
        reached = _reached(cx, cy, cz, around, dabs, drags, widened, order)
        _trace(count, px, py, pz, nx, ny, nz, order, reached, dabs, drags, False, tip)
        for k in range(count):
            s, n = who[k], who[k] - first
            ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
            if px[k] == ox and py[k] == oy and pz[k] == oz:
                continue
            known, away = nearer(px[k], py[k], pz[k], s, np.int64(-1), farthest, position)
            q = np.int64(search(px[k], py[k], pz[k], farthest, known, away, grid))
            if q < 0 or normal[q, 0] * normal[s, 0] + normal[q, 1] * normal[s, 1] + normal[q, 2] * normal[s, 2] <= 0:
                continue
            mx, my, mz = px[k] - ox + shift[q, 0], py[k] - oy + shift[q, 1], pz[k] - oz + shift[q, 2]
            known, away = nearer(ox + mx, oy + my, oz + mz, q, s, farthest, position)
            origin = np.int64(search(ox + mx, oy + my, oz + mz, farthest, known, away, grid))
            if origin < 0:
                origin = np.int64(source[q]) - 1 if source[q] > 0 else q
            moved[at, n, 0], moved[at, n, 1], moved[at, n, 2] = mx, my, mz
            found[at, n] = origin + 1


@kernel(numba.void(i32[::1], f32[:, :, ::1], i32[:, ::1], f32, f32[:, ::1], i32[::1], f32[::1], u8[:, ::1]), late=True)
def push_take_vertices(blocks, moved, found, spacing, shift, source, coverage, dirty):
    """The same for vertices: told fully by a source that lies a spacing away."""
    for at in range(len(blocks)):
        for n in range(256):
            s = blocks[at] * 256 + n
            x, y, z = moved[at, n, 0], moved[at, n, 1], moved[at, n, 2]
            if found[at, n] != source[s] or x != shift[s, 0] or y != shift[s, 1] or z != shift[s, 2]:
                shift[s, 0], shift[s, 1], shift[s, 2], source[s] = x, y, z, found[at, n]
                coverage[s] = max(coverage[s], min(np.sqrt(x * x + y * y + z * z) / spacing, np.float32(1)))
                dirty[blocks[at] >> 8, blocks[at] & 255] = 1
