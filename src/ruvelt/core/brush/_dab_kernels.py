"""The loops of a stroke: dabs raise coverage, coverage becomes paint. Coverage is per stroke, so strength caps and flow builds up."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import f32_room, i64_room, inline, kernel, u16_at
from ruvelt.core.samples._cell_kernels import cell_at, first_texel, last_texel
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8 = numba.float32, numba.int32, numba.int64, numba.uint8
CHUNK = 65536
FADE = np.float32(FACING_FADE_COS)


@inline
def _falloff(d, hardness):
    """Weight at distance d (radii): 1 up to `hardness`, then a smoothstep down to 0 at 1."""
    if d <= hardness:
        return np.float32(1)
    t = (d - hardness) / (np.float32(1) - hardness)
    return np.float32(1) - t * t * (np.float32(3) - np.float32(2) * t)


@inline
def _raise(coverage, slot, cap, share):
    c = coverage[slot]
    if cap > c:
        coverage[slot] = c + (cap - c) * share


@inline
def tile_of(slot, square):
    local = slot & 65535
    if square:
        return ((local >> 12) << 4) | ((local & 255) >> 4)
    return local >> 8


@inline
def tile_bits(square):
    """Bits of a slot that samples of one tile share."""
    return ~np.uint64(0x0F0F if square else 0xFF)


#: Dabs taken together: neighbours of a stroke, with their mirror twins.
GROUP = 16
#: Samples worked on at once, so that what the dabs of a group share stays in the nearest cache.
STRETCH = 512
#: Samples that fill the vectors of one turn of a loop.
WHOLE = 32
ROOM = STRETCH + WHOLE


@inline
def _approach(now, cap, flow, distance, hardness, slope, cosine):
    """Coverage `now` after one dab: `flow` of the way to `cap`, weighed by distance (radii) and by how far the surface faces the dab."""
    one, zero = np.float32(1), np.float32(0)
    # 1 up to `hardness`, then a smoothstep down to 0 at one radius.
    t = (distance - hardness) * slope
    t = one if t > one else t
    t = zero if t < zero else t
    cosine = one if cosine > one else cosine
    cosine = zero if cosine < zero else cosine
    gap = cap - now
    gap = zero if gap < zero else gap
    return now + gap * (flow * cosine * (one - t * t * (np.float32(3) - np.float32(2) * t)))


@inline
def _lay_dab(dabs, d, hardness, xyz, normal, first, n, spacing, now, at):
    """Raise now[at …] of the sorted samples first … first + n by dab d, without a branch in the loops: they become vector instructions.

    Places are unsigned: they need no look for a negative index, and no slices, which cost more than the few samples in them.
    Some samples more are worked on, to which the dab gives nothing, for what does not fill a vector is done one by one.
    """
    n = min((n + np.uint64(WHOLE - 1)) & ~np.uint64(WHOLE - 1), np.uint64(xyz.shape[1]) - first)
    one, zero = np.float32(1), np.float32(0)
    cx, cy, cz, r = dabs[d, 0], dabs[d, 1], dabs[d, 2], max(dabs[d, 3], np.float32(0.6) * spacing)
    nx, ny, nz, flow, cap = dabs[d, 4], dabs[d, 5], dabs[d, 6], dabs[d, 15], dabs[d, 16]
    inv_r, slope = one / r, one / (one - hardness)
    scale, bias = np.float32(1 / 127) / FADE, zero
    if not dabs[d, 17] > 0:
        scale, bias = zero, one
    px, py, pz = nx * scale, ny * scale, nz * scale
    if dabs[d, 13] >= np.float32(0.999):
        for i in range(n):
            j = first + i
            dx, dy, dz = xyz[0, j] - cx, xyz[1, j] - cy, xyz[2, j] - cz
            distance = np.sqrt(dx * dx + dy * dy + dz * dz) * inv_r
            cosine = bias + np.float32(normal[0, j]) * px + np.float32(normal[1, j]) * py + np.float32(normal[2, j]) * pz
            now[at + i] = _approach(now[at + i], cap, flow, distance, hardness, slope, cosine)
    else:
        inv_short = inv_r / dabs[d, 13]
        ax, ay, az, bx, by, bz = dabs[d, 7], dabs[d, 8], dabs[d, 9], dabs[d, 10], dabs[d, 11], dabs[d, 12]
        for i in range(n):
            j = first + i
            dx, dy, dz = xyz[0, j] - cx, xyz[1, j] - cy, xyz[2, j] - cz
            a, b = (dx * ax + dy * ay + dz * az) * inv_r, (dx * bx + dy * by + dz * bz) * inv_short
            h = (dx * nx + dy * ny + dz * nz) * inv_r
            cosine = bias + np.float32(normal[0, j]) * px + np.float32(normal[1, j]) * py + np.float32(normal[2, j]) * pz
            now[at + i] = _approach(now[at + i], cap, flow, np.sqrt(a * a + b * b + h * h), hardness, slope, cosine)


@inline
def boxes_of(dabs, g, size, reach, spacing, low, cell, dims, z_first, z_last, box):
    """box (size, 4) = first and last layer and row of cells of the grid that each dab of a group may reach; says the columns of all.

    g : the group's first dab; reach : in radii; a dab that is none has an empty box
    """
    left, right = int(dims[0]), -1
    for d in range(size):
        cx, cy, cz, r = dabs[g + d, 0], dabs[g + d, 1], dabs[g + d, 2], dabs[g + d, 3]
        box[d, 0], box[d, 1], box[d, 2], box[d, 3] = 0, -1, 0, -1
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        # Never thinner than the samples: a tiny brush still touches the sample under it.
        r = max(r, np.float32(0.6) * spacing) * reach
        box[d, 0] = max(cell_at((cz - r - low[2]) / cell, dims[2]), z_first)
        box[d, 1] = min(cell_at((cz + r - low[2]) / cell, dims[2]), z_last)
        box[d, 2] = cell_at((cy - r - low[1]) / cell, dims[1])
        box[d, 3] = cell_at((cy + r - low[1]) / cell, dims[1])
        left = min(left, cell_at((cx - r - low[0]) / cell, dims[0]))
        right = max(right, cell_at((cx + r - low[0]) / cell, dims[0]))
    return left, right


@inline
def walked_before(box, lead, z, y):
    """Whether a row of cells was walked for a dab of the group before `lead`."""
    walked = False
    for d in range(lead):
        walked = walked or (box[d, 0] <= z <= box[d, 1] and box[d, 2] <= y <= box[d, 3])
    return walked


@inline
def cells_reached(dabs, g, lead, size, reach, spacing, low, cell, dims, z, y, box, reach_of, order):
    """reach_of (size, 2) = first and last cell of a row that dabs from `lead` on reach; order[:n] those dabs by where they begin. Returns n."""
    count = 0
    zl, yl = np.float32(low[2] + z * cell), np.float32(low[1] + y * cell)
    for d in range(lead, size):
        if not (box[d, 0] <= z <= box[d, 1] and box[d, 2] <= y <= box[d, 3]):
            continue
        cx, cy, cz = dabs[g + d, 0], dabs[g + d, 1], dabs[g + d, 2]
        r = max(dabs[g + d, 3], np.float32(0.6) * spacing) * reach
        gz = max(zl - cz, cz - zl - np.float32(cell), np.float32(0))
        gy = max(yl - cy, cy - yl - np.float32(cell), np.float32(0))
        rest = r * r - gz * gz - gy * gy
        if rest < 0:
            continue
        half = np.sqrt(rest)
        reach_of[d, 0] = cell_at((cx - half - low[0]) / cell, dims[0])
        reach_of[d, 1] = cell_at((cx + half - low[0]) / cell, dims[0])
        at = count
        while at > 0 and reach_of[order[at - 1], 0] > reach_of[d, 0]:
            order[at] = order[at - 1]
            at -= 1
        order[at] = d
        count += 1
    return count


@inline
def next_stretch(order, reach_of, first, count):
    """(end, xa, xb): the dabs order[first:end], put in the order of the stroke, that reach cells xa … xb without a gap."""
    xa, xb = reach_of[order[first], 0], reach_of[order[first], 1]
    taken = first + 1
    while taken < count and reach_of[order[taken], 0] <= xb + 1:
        xb = max(xb, reach_of[order[taken], 1])
        taken += 1
    for i in range(first + 1, taken):
        d, at = order[i], i
        while at > first and order[at - 1] > d:
            order[at] = order[at - 1]
            at -= 1
        order[at] = d
    return taken, xa, xb


@kernel(
    numba.void(
        f32[:, ::1],
        f32[::1],
        numba.float64,
        i32[::1],
        i32[::1],
        i32[::1],
        f32[:, ::1],
        numba.int8[:, ::1],
        u8[::1],
        f32,
        numba.boolean,
        i32,
        i32,
        f32[::1],
        u8[:, ::1],
    )
)
def ball_dabs(dabs, low, cell, dims, start, slot, xyz, normal, allowed, spacing, square, z_first, z_last, coverage, dirty):
    """Raise coverage of the samples inside each dab's ball, dab after dab, in the grid's layers z_first … z_last.

    dabs : (n, 18), see path.BALL_COLUMNS; allowed : (slots,) 0 for samples no stroke may touch, or size 0
    coverage : (slots,) float32 0–1; dirty : (chunks, 256) marks tiles that changed

    Rows of cells are walked once for a group of dabs: what is sorted by cell is read in order, coverage is fetched and put back once.
    """
    one, zero = np.float32(1), np.float32(0)
    within, marked = tile_bits(square), ~np.uint64(0)
    box = i64_room((GROUP, 4))
    hardness = f32_room(GROUP)
    reach_of = i64_room((GROUP, 2))
    order = i64_room(GROUP)
    now = f32_room(ROOM)
    for g in range(0, len(dabs), GROUP):
        size = min(GROUP, len(dabs) - g)
        left, right = boxes_of(dabs, g, size, one, spacing, low, cell, dims, z_first, z_last, box)
        for d in range(size):
            # The edge fades over one sample at least, so that a hard edge does not break into stairs.
            hardness[d] = max(zero, min(dabs[g + d, 14], one - spacing / max(dabs[g + d, 3], np.float32(0.6) * spacing)))
        for lead in range(size):
            for z in range(box[lead, 0], box[lead, 1] + 1):
                for y in range(box[lead, 2], box[lead, 3] + 1):
                    row = (z * dims[1] + y) * dims[0]
                    if start[row + left] == start[row + right + 1] or walked_before(box, lead, z, y):
                        continue
                    count = cells_reached(dabs, g, lead, size, one, spacing, low, cell, dims, z, y, box, reach_of, order)
                    taken = 0
                    while taken < count:
                        first = taken
                        taken, xa, xb = next_stretch(order, reach_of, first, count)
                        begin, end = start[row + xa], start[row + xb + 1]
                        for base in range(begin, end, STRETCH):
                            n = min(STRETCH, end - base)
                            for i in range(np.uint64(n)):
                                now[i] = coverage[np.uint64(slot[np.uint64(base) + i])]
                            for i in range(first, taken):
                                d = order[i]
                                a = max(base, start[row + reach_of[d, 0]])
                                b = min(base + n, start[row + reach_of[d, 1] + 1])
                                if a >= b:
                                    continue
                                _lay_dab(dabs, g + d, hardness[d], xyz, normal, np.uint64(a), np.uint64(b - a), spacing, now, np.uint64(a - base))
                            for i in range(np.uint64(n)):
                                s = np.uint64(slot[np.uint64(base) + i])
                                if now[i] > coverage[s] and (len(allowed) == 0 or allowed[s] != 0):
                                    coverage[s] = now[i]
                                    # Samples of one tile follow each other.
                                    if s & within != marked:
                                        marked = s & within
                                        dirty[s >> np.uint64(16), tile_of(np.int64(s), square)] = 1


@kernel(numba.void(f32[:, ::1], i32, i32[::1], u8[::1], f32[::1], u8[:, ::1]))
def disc_dabs(dabs, side, owner, allowed, coverage, dirty):
    """Raise coverage of covered texels inside each disc of the flat sheet. dabs : (n, 9), see path.DISC_COLUMNS."""
    one = np.float32(1)
    chunks = side // 256
    for d in range(len(dabs)):
        cx, cy, r = dabs[d, 0], dabs[d, 1], dabs[d, 2]
        if not (r > 0 and np.isfinite(cx + cy + r)):
            continue
        r = max(r, np.float32(0.75))
        hardness = max(np.float32(0), min(dabs[d, 6], one - one / r))
        cos, sin, roundness, flow, cap = dabs[d, 3], dabs[d, 4], dabs[d, 5], dabs[d, 7], dabs[d, 8]
        for y in range(first_texel(cy - r, side), last_texel(cy + r, side) + 1):
            for x in range(first_texel(cx - r, side), last_texel(cx + r, side) + 1):
                dx, dy = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
                a = (dx * cos + dy * sin) / r
                b = (dy * cos - dx * sin) / (r * roundness)
                dist = np.sqrt(a * a + b * b)
                if dist >= one:
                    continue
                s = ((y >> 8) * chunks + (x >> 8)) * CHUNK + ((y & 255) << 8) + (x & 255)
                if owner[s] < 0 or (len(allowed) and allowed[s] == 0):
                    continue
                _raise(coverage, s, cap, flow * _falloff(dist, hardness))
                dirty[s >> 16, tile_of(s, True)] = 1


@kernel(numba.void(i32[::1], i32[::1], i64, f32[::1], numba.uint16[::1], i64, numba.boolean, i32, numba.uint16[:, ::1]), allocates=True)
def paint_runs(starts, counts, base, coverage, codes, values, erase, comps, out):
    """Lay a colour over the plane as it was before the stroke (address `base`, 0 when the chunk did not exist), with coverage as alpha.

    coverage : (65536,) of this chunk; codes : (comps,) uint16, or `values` : address of (comps, 65536) uint16 with a colour of its own for
    every sample, 0 for none; out : (comps + 1, 65536) uint16
    """
    full, half, one, zero = np.float32(65535), np.float32(0.5), np.float32(1), np.float32(0)
    # No longer than a run: larger ones would be given back and asked for anew with every call.
    longest = 1
    for r in range(len(counts)):
        longest = max(longest, counts[r])
    under, inverse = np.empty(longest, np.float32), np.empty(longest, np.float32)
    before = u16_at(base, CHUNK * (comps + 1))
    top = np.uint64(comps * CHUNK)
    # Unsigned places need no look for a negative index, so that these loops become vector instructions without slices.
    for r in range(len(starts)):
        first, end = np.uint64(starts[r]), np.uint64(starts[r] + counts[r])
        if base != 0:
            for i in range(first, end):
                under[i - first] = np.float32(before[top + i]) * (one / full) * (one - coverage[i])
        else:
            for i in range(first, end):
                under[i - first] = zero
        if erase:
            for i in range(first, end):
                out[comps, i] = np.uint16(np.int32(under[i - first] * full + half))
            continue
        for i in range(first, end):
            total = coverage[i] + under[i - first]
            out[comps, i] = np.uint16(np.int32(total * full + half))
            inverse[i - first] = one / (total if total > zero else one)
        for k in range(comps):
            code, row = np.float32(codes[k]), np.uint64(k * CHUNK)
            if values != 0:
                own = u16_at(values, CHUNK * comps)
                for i in range(first, end):
                    below = np.float32(before[row + i]) if base != 0 else np.float32(0)
                    value = (coverage[i] * np.float32(own[row + i]) + under[i - first] * below) * inverse[i - first] + half
                    out[k, i] = np.uint16(np.int32(value)) if coverage[i] > zero else out[k, i]
            elif base != 0:
                for i in range(first, end):
                    value = (coverage[i] * code + under[i - first] * np.float32(before[row + i])) * inverse[i - first] + half
                    out[k, i] = np.uint16(np.int32(value)) if coverage[i] > zero else out[k, i]
            else:
                for i in range(first, end):
                    out[k, i] = codes[k] if coverage[i] > zero else out[k, i]


@kernel(numba.void(i32[::1], i32[::1], i64, f32[::1], numba.uint16[:, ::1], i32, numba.uint16[:, ::1]), allocates=True)
def toward_runs(starts, counts, base, coverage, values, comps, out):
    """Move a plane as it was before the stroke towards `values`, colour and coverage alike, by the stroke's coverage.

    values, out : (comps + 1, 65536) uint16 straight alpha, alpha last; base : address of what was there, 0 for nothing
    """
    u, full, half, one, zero = np.float32(1 / 65535), np.float32(65535), np.float32(0.5), np.float32(1), np.float32(0)
    longest = 1
    for r in range(len(counts)):
        longest = max(longest, counts[r])
    was, new, inverse = np.empty(longest, np.float32), np.empty(longest, np.float32), np.empty(longest, np.float32)
    before = u16_at(base, CHUNK * (comps + 1))
    top = np.uint64(comps * CHUNK)
    # As in `paint_runs`, in loops that become vector instructions.
    for r in range(len(starts)):
        first, end = np.uint64(starts[r]), np.uint64(starts[r] + counts[r])
        if base != 0:
            for i in range(first, end):
                was[i - first] = np.float32(before[top + i]) * u * (one - coverage[i])
        else:
            for i in range(first, end):
                was[i - first] = zero
        for i in range(first, end):
            new[i - first] = np.float32(values[comps, i]) * u * coverage[i]
            total = was[i - first] + new[i - first]
            out[comps, i] = np.uint16(np.int32(total * full + half)) if coverage[i] > zero else out[comps, i]
            # Where nothing is left colours stay as they were.
            inverse[i - first] = one / total if total > zero and coverage[i] > zero else zero
        for k in range(comps):
            row = np.uint64(k * CHUNK)
            for i in range(first, end):
                old = np.float32(before[row + i]) if base != 0 else zero
                value = (was[i - first] * old + new[i - first] * np.float32(values[k, i])) * inverse[i - first] + half
                out[k, i] = np.uint16(np.int32(value)) if inverse[i - first] > zero else out[k, i]


@kernel(numba.void(i32[::1], numba.int64, numba.int64, f32, u8[::1], f32[::1], u8[:, ::1], numba.boolean))
def flood_coverage(owner, first, last, strength, marked, coverage, dirty, square):
    """Set coverage of covered, marked samples first … last to `strength`."""
    for s in range(first, last):
        if owner[s] >= 0 and marked[s]:
            coverage[s] = strength
            dirty[s >> 16, tile_of(s, square)] = 1
