"""The loops of a stroke: dabs raise coverage, coverage becomes paint. Coverage is per stroke, so strength caps and flow builds up."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core._fading_kernels import left_of
from ruvelt.core._value_kernels import clipped, smoothstep
from ruvelt.core.brush.dab import CAP, FACING, FLOW, HARDNESS, LONG, NORMAL, RADIUS, ROUNDNESS, SHORT, SWEEP, X, Y, Z, vector
from ruvelt.core.kernels import f32_scratch, i64_scratch, inline, kernel, u16_at
from ruvelt.core.samples._cell_kernels import cell_at, first_texel, last_texel
from ruvelt.core.samples.address import CHUNK, block_of, chunk_of, first_slot, in_block, slot_at
from ruvelt.core.samples.arrays import SAMPLES
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8 = numba.float32, numba.int32, numba.int64, numba.uint8
FADE = np.float32(FACING_FADE_COS)


#: What a dab lays at its flow, or a swept one along so many radii: the length of a step at the spacing that brushes start with.
STANDARD = 0.24
#: Sweeps lay no more flow than this, whose logarithm is still a number.
MOST_FLOW = 0.998


@inline
def block_bits(is_sheet):
    """Bits of a slot that samples of one block share."""
    return ~np.uint64(0x0F0F if is_sheet else 0xFF)


#: Dabs taken together: neighbours of a stroke, with their mirror twins.
GROUP = 16
#: Samples worked on at once, so that what the dabs of a group share stays in the nearest cache.
STRETCH = 512
#: Samples that fill the vectors of one turn of a loop.
WHOLE = 32
ROOM = STRETCH + WHOLE


@inline
def smooth(p):
    """Weight of the falloff's ramp, p : 0 at its outer end, 1 at its inner."""
    return smoothstep(clipped(p))


@inline
def _covered(u, core, rim, depth, k):
    """Integral of the weight over a line past a tip, from its nearest place to `u`, in radii.

    core, rim : where the line leaves full weight and the tip; depth : of its nearest place in the ramp's squares; k : one over the ramp
    """
    size = abs(u)
    size = size if size < rim else rim
    full = size if size < core else core
    half = np.float32(0.5) * (size - full)
    # Three places of Gauss: the weight is a polynomial of the sixth degree.
    middle, off = full + half, half * np.float32(0.7745966692)
    a, b = middle - off, middle + off
    ramp = np.float32(5 / 9) * (smooth((depth - a * a) * k) + smooth((depth - b * b) * k)) + np.float32(8 / 9) * smooth((depth - middle * middle) * k)
    total = full + half * ramp
    return total if u > np.float32(0) else -total


@inline
def _raised(now, target, share):
    gap = target - now
    gap = gap if gap > np.float32(0) else np.float32(0)
    return now + gap * share


@inline
def ramp_of(hardness, edge):
    """Inner and outer end of a tip's ramp, radii, never narrower than `edge` and centred on the rim; the fade of the rim does the rest."""
    one = np.float32(1)
    sharp = clipped(np.float32(2) - (one - hardness) / edge)
    outer = one + sharp * np.float32(0.5) * edge
    inner = hardness + sharp * (outer - hardness)
    return min(inner, outer - np.float32(1e-3)), outer


@inline
def passed(a, b, h, va, vb, vh, length, inv_r, inv_short, inv_edge, outer_sq, inner_sq, k):
    """A round tip's sweep at a place: (integral of the weight, squared distance from its nearest place, share of a sample inside the rim).

    a, b, h : the place from the sweep's end along the tip's axes and normal, radii; va, vb, vh : its way, of length 1; length : radii
    inv_edge : one over a sample; outer_sq, inner_sq, k : the ramp's ends, squared, and one over what lies between
    """
    zero, half, tiny = np.float32(0), np.float32(0.5), np.float32(1e-12)
    s = a * va + b * vb + h * vh
    # The nearest place of the sweep, so far behind its end.
    back = -s
    back = back if back > zero else zero
    back = back if back < length else length
    a, b, h = a + back * va, b + back * vb, h + back * vh
    near_sq = a * a + b * b + h * h
    near = np.sqrt(near_sq)
    # How steeply the distance rises from sample to sample there.
    p, q = a * inv_r, b * inv_short
    o = h * inv_r
    steep = np.sqrt(p * p + q * q + o * o) / (near + tiny)
    rim = clipped(half + (np.float32(1) - near) * inv_edge / (steep + tiny))
    along = s + back
    depth = outer_sq - (near_sq - along * along)
    reach = np.sqrt(depth if depth > zero else zero)
    core = depth - (outer_sq - inner_sq)
    core = np.sqrt(core if core > zero else zero)
    over = _covered(s + length, core, reach, depth, k) - _covered(s, core, reach, depth, k)
    return over, near_sq, rim


@inline
def density_of(flow):
    """What a sweep of so much flow lays over a radius, as an exponent."""
    return np.float32(-np.log(1 - min(np.float64(flow), MOST_FLOW)) / STANDARD)


@inline
def _lay_dab(dabs, d, xyz, normal, first, n, spacing, now, at):
    """Raise now[at …] of the sorted samples first … first + n by dab d, without a branch in the loops: they become vector instructions.

    A dab by itself lays its flow; one that was swept from the place before lays flow by the length that its tip went over each sample.
    What is laid is capped by the share of the sample that lies inside the rim, so that edges are as smooth as samples allow, however often
    the stroke goes over them.

    Places are unsigned: they need no look for a negative index, and no slices, which cost more than the few samples in them.
    Some samples more are worked on, to which the dab gives nothing, for what does not fill a vector is done one by one.
    """
    n = min((n + np.uint64(WHOLE - 1)) & ~np.uint64(WHOLE - 1), np.uint64(xyz.shape[1]) - first)
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    cx, cy, cz, own = dabs[d, X], dabs[d, Y], dabs[d, Z], dabs[d, RADIUS]
    # A tip thinner than the samples lays its share of them.
    r = max(own, half * spacing)
    nx, ny, nz, flow, cap = dabs[d, NORMAL], dabs[d, NORMAL + 1], dabs[d, NORMAL + 2], dabs[d, FLOW], dabs[d, CAP]
    inv_r, thin = one / r, own / r
    scale, bias = np.float32(1 / 127) / FADE, zero
    if not dabs[d, FACING] > 0:
        scale, bias = zero, one
    px, py, pz = nx * scale, ny * scale, nz * scale
    short = max(dabs[d, ROUNDNESS], half * spacing * inv_r)
    thin *= dabs[d, ROUNDNESS] / short
    inv_short = inv_r / short
    ax, ay, az, bx, by, bz = dabs[d, LONG], dabs[d, LONG + 1], dabs[d, LONG + 2], dabs[d, SHORT], dabs[d, SHORT + 1], dabs[d, SHORT + 2]
    vx, vy, vz = vector(dabs, d, SWEEP)
    va, vb, vh = (vx * ax + vy * ay + vz * az) * inv_r, (vx * bx + vy * by + vz * bz) * inv_short, (vx * nx + vy * ny + vz * nz) * inv_r
    length = np.sqrt(va * va + vb * vb + vh * vh)
    swept = length > np.float32(1e-6)
    inv_length = one / length if swept else zero
    va, vb, vh = va * inv_length, vb * inv_length, vh * inv_length
    inner, outer = ramp_of(dabs[d, HARDNESS], spacing * inv_r)
    outer_sq, inner_sq = outer * outer, inner * inner
    k = one / (outer_sq - inner_sq)
    inv_edge = one / spacing
    if swept:
        density, target = density_of(flow), cap * thin
    else:
        density, target = zero, cap * thin * thin
    for i in range(n):
        j = first + i
        dx, dy, dz = xyz[0, j] - cx, xyz[1, j] - cy, xyz[2, j] - cz
        cosine = clipped(bias + np.float32(normal[0, j]) * px + np.float32(normal[1, j]) * py + np.float32(normal[2, j]) * pz)
        a, b, h = (dx * ax + dy * ay + dz * az) * inv_r, (dx * bx + dy * by + dz * bz) * inv_short, (dx * nx + dy * ny + dz * nz) * inv_r
        over, near_sq, rim = passed(a, b, h, va, vb, vh, length, inv_r, inv_short, inv_edge, outer_sq, inner_sq, k)
        share = one - left_of(over * density) if swept else flow * smooth((outer_sq - near_sq) * k)
        now[at + i] = _raised(now[at + i], target * rim, share * cosine)


@inline
def bound_of(dabs, i, spacing, reach, ball):
    """ball (4,) = middle and radius of what dab i, swept or not, may raise; a radius of −1 where there is nothing."""
    cx, cy, cz, r = dabs[i, X], dabs[i, Y], dabs[i, Z], dabs[i, RADIUS]
    if not (r > 0 and np.isfinite(cx + cy + cz + r)):
        ball[3] = -1
        return
    # Never thinner than the samples: a tiny brush still touches the sample under it.
    r = max(r, np.float32(0.6) * spacing) * reach + np.float32(0.5) * spacing
    vx, vy, vz = np.float32(0.5) * dabs[i, SWEEP], np.float32(0.5) * dabs[i, SWEEP + 1], np.float32(0.5) * dabs[i, SWEEP + 2]
    cx, cy, cz = cx - vx, cy - vy, cz - vz
    r += np.sqrt(vx * vx + vy * vy + vz * vz)
    ball[0], ball[1], ball[2], ball[3] = cx, cy, cz, r


@inline
def boxes_of(dabs, g, size, reach, spacing, grid, z_first, z_last, box):
    """box (size, 4) = first and last layer and row of cells of the grid that each dab of a group may reach; says the columns of all.

    g : the group's first dab; reach : in radii; a dab that is none has an empty box
    """
    low, cell, dims = grid.low, grid.cell, grid.dims
    left, right = int(dims[0]), -1
    ball = f32_scratch(4)
    for d in range(size):
        bound_of(dabs, g + d, spacing, reach, ball)
        cx, cy, cz, r = ball[0], ball[1], ball[2], ball[3]
        box[d, 0], box[d, 1], box[d, 2], box[d, 3] = 0, -1, 0, -1
        if not r > 0:
            continue
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
def cells_reached(dabs, g, lead, size, reach, spacing, grid, z, y, box, reach_of, order):
    """reach_of (size, 2) = first and last cell of a row that dabs from `lead` on reach; order[:n] those dabs by where they begin. Returns n."""
    low, cell, dims = grid.low, grid.cell, grid.dims
    count = 0
    ball = f32_scratch(4)
    zl, yl = np.float32(low[2] + z * cell), np.float32(low[1] + y * cell)
    for d in range(lead, size):
        if not (box[d, 0] <= z <= box[d, 1] and box[d, 2] <= y <= box[d, 3]):
            continue
        bound_of(dabs, g + d, spacing, reach, ball)
        cx, cy, cz, r = ball[0], ball[1], ball[2], ball[3]
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


@kernel(numba.void(f32[:, ::1], SAMPLES, u8[::1], i32, i32, f32[::1], u8[:, ::1]))
def ball_dabs(dabs, samples, allowed, z_first, z_last, coverage, dirty):
    """Raise coverage of the samples inside each dab's ball, dab after dab, in the grid's layers z_first … z_last.

    dabs : (n, WIDTH) balls; allowed : (slots,) 0 for samples no stroke may touch, or size 0
    coverage : (slots,) float32 0–1; dirty : (chunks, 256) marks blocks that changed

    Rows of cells are walked once for a group of dabs: what is sorted by cell is read in order, coverage is fetched and put back once.
    """
    grid, spacing, is_sheet = samples.grid, np.float32(samples.spacing), samples.is_sheet
    dims, start, slot, xyz, normal = grid.dims, grid.start, grid.slot, grid.xyz, grid.normal
    one = np.float32(1)
    within, marked = block_bits(is_sheet), ~np.uint64(0)
    box = i64_scratch((GROUP, 4))
    reach_of = i64_scratch((GROUP, 2))
    order = i64_scratch(GROUP)
    now = f32_scratch(ROOM)
    for g in range(0, len(dabs), GROUP):
        size = min(GROUP, len(dabs) - g)
        left, right = boxes_of(dabs, g, size, one, spacing, grid, z_first, z_last, box)
        for lead in range(size):
            for z in range(box[lead, 0], box[lead, 1] + 1):
                for y in range(box[lead, 2], box[lead, 3] + 1):
                    row = (z * dims[1] + y) * dims[0]
                    if start[row + left] == start[row + right + 1] or walked_before(box, lead, z, y):
                        continue
                    count = cells_reached(dabs, g, lead, size, one, spacing, grid, z, y, box, reach_of, order)
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
                                _lay_dab(dabs, g + d, xyz, normal, np.uint64(a), np.uint64(b - a), spacing, now, np.uint64(a - base))
                            for i in range(np.uint64(n)):
                                s = np.uint64(slot[np.uint64(base) + i])
                                if now[i] > coverage[s] and (len(allowed) == 0 or allowed[s] != 0):
                                    coverage[s] = now[i]
                                    # Samples of one block follow each other.
                                    if s & within != marked:
                                        marked = s & within
                                        dirty[s >> np.uint64(16), block_of(np.int64(s), is_sheet)] = 1


@kernel(numba.void(f32[:, ::1], i32, i32[::1], u8[::1], f32[::1], u8[:, ::1]))
def disc_dabs(dabs, side, owner, allowed, coverage, dirty):
    """Raise coverage of covered texels inside each disc of the flat sheet, swept or by itself, as `_lay_dab` does.

    dabs : (n, WIDTH) discs
    """
    one, zero, half, tiny = np.float32(1), np.float32(0), np.float32(0.5), np.float32(1e-12)
    chunks = side // 256
    for d in range(len(dabs)):
        cx, cy, own = dabs[d, X], dabs[d, Y], dabs[d, RADIUS]
        if not (own > 0 and np.isfinite(cx + cy + own)):
            continue
        r = max(own, half)
        cos, sin, flow, cap = dabs[d, LONG], dabs[d, LONG + 1], dabs[d, FLOW], dabs[d, CAP]
        inv_r = one / r
        short = max(dabs[d, ROUNDNESS], half * inv_r)
        thin = own * inv_r * dabs[d, ROUNDNESS] / short
        inv_short = inv_r / short
        vx, vy = dabs[d, SWEEP], dabs[d, SWEEP + 1]
        va, vb = (vx * cos + vy * sin) * inv_r, (vy * cos - vx * sin) * inv_short
        length = np.sqrt(va * va + vb * vb)
        swept = length > np.float32(1e-6)
        inv_length = one / length if swept else zero
        va, vb = va * inv_length, vb * inv_length
        inner, outer = ramp_of(dabs[d, HARDNESS], inv_r)
        outer_sq, inner_sq = outer * outer, inner * inner
        k = one / (outer_sq - inner_sq)
        density, target = zero, cap * thin * (one if swept else own * inv_r)
        if swept:
            density = density_of(flow)
        left, right, top, bottom = min(cx, cx - vx) - r - one, max(cx, cx - vx) + r + one, min(cy, cy - vy) - r - one, max(cy, cy - vy) + r + one
        for y in range(first_texel(top, side), last_texel(bottom, side) + 1):
            for x in range(first_texel(left, side), last_texel(right, side) + 1):
                dx, dy = np.float32(x) + half - cx, np.float32(y) + half - cy
                a, b = (dx * cos + dy * sin) * inv_r, (dy * cos - dx * sin) * inv_short
                s = a * va + b * vb
                back = min(max(-s, zero), length)
                a, b = a + back * va, b + back * vb
                near_sq = a * a + b * b
                near = np.sqrt(near_sq)
                p, q = a * inv_r, b * inv_short
                rim = clipped(half + (one - near) / (np.sqrt(p * p + q * q) / (near + tiny) + tiny))
                if rim <= zero:
                    continue
                slot = slot_at(x, y, chunks)
                if owner[slot] < 0 or (len(allowed) and allowed[slot] == 0):
                    continue
                if swept:
                    along = s + back
                    depth = outer_sq - (near_sq - along * along)
                    reach, core = np.sqrt(max(depth, zero)), np.sqrt(max(depth - (outer_sq - inner_sq), zero))
                    over = _covered(s + length, core, reach, depth, k) - _covered(s, core, reach, depth, k)
                    share = one - left_of(over * density)
                else:
                    share = flow * smooth((outer_sq - near_sq) * k)
                raised = _raised(coverage[slot], target * rim, share)
                if raised > coverage[slot]:
                    coverage[slot] = raised
                    dirty[chunk_of(slot), block_of(slot, True)] = 1


@kernel(numba.void(i32[::1], numba.boolean, f32[:, ::1], f32[:, :, ::1], f32[::1], f32[:, ::1]), late=True)
def join_twins(blocks, is_sheet, twins, twin_marks, coverage, marks):
    """Take over the strongest coverage of mirrored twins on blocks (chunk · 256 + block), and what it remembers.

    twins : (copies, slots); twin_marks : (copies, slots or 0, k); coverage : (slots,); marks : (slots or 0, k)
    """
    for at in range(len(blocks)):
        first = first_slot(np.int64(blocks[at]), is_sheet)
        for n in range(256):
            s = first + in_block(n, is_sheet)
            best = 0
            for k in range(1, len(twins)):
                best = k if twins[k, s] > twins[best, s] else best
            coverage[s] = twins[best, s]
            if len(marks) > 0:
                for k in range(marks.shape[1]):
                    marks[s, k] = twin_marks[best, s, k]


@inline
def light_code(light, encode):
    """The code of linear light 0–1, see encoding.ENCODE_ROOTS."""
    light = light if light > np.float32(0) else np.float32(0)
    light = light if light < np.float32(1) else np.float32(1)
    return encode[np.uint64(np.int32(np.sqrt(light) * np.float32(65535) + np.float32(0.5)))]


#: Signature of how codes are mixed, see encoding.CodeMixing: tables of decoding and encoding, or none.
MIXING = (f32[::1], numba.uint16[::1])


@kernel(
    numba.void(i32[::1], i32[::1], i64, f32[::1], f32[::1], numba.uint16[::1], i64, numba.boolean, i32, *MIXING, numba.uint16[:, ::1]), allocates=True
)
def paint_runs(starts, counts, base, coverage, shares, values_u16, values, erase, comps, decode, encode, out):
    """Lay a colour over the plane as it was before the stroke (address `base`, 0 when the chunk did not exist), with coverage as alpha.

    coverage : (65536,) of this chunk; codes : (comps,) uint16, or `values` : address of (comps, 65536) uint16 with a colour of its own for
    every sample, 0 for none; out : (comps + 1, 65536) uint16
    shares : (65536,) share of each sample that a fill covers, coverage being of all of it; size 0 for strokes. What was there keeps to the rest
    of the sample as far as it can: two fills that meet leave no gap.
    decode, encode : colours are mixed as light by these tables, or as codes without
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
        if base != 0 and len(shares) > 0:
            for i in range(first, end):
                alpha, rest = np.float32(before[top + i]) * (one / full), one - shares[i]
                beside = alpha if alpha < rest else rest
                laid = coverage[i] / (shares[i] if shares[i] > zero else one)
                under[i - first] = beside + (alpha - beside) * (one - laid)
        elif base != 0:
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
            code, row = np.float32(values_u16[k]), np.uint64(k * CHUNK)
            if len(decode) > 0 and base != 0:
                own = u16_at(values, CHUNK * comps)
                for i in range(first, end):
                    laid, below = (own[row + i] if values != 0 else values_u16[k]), before[row + i]
                    # What comes to the same stays the same.
                    if coverage[i] > zero and (under[i - first] <= zero or laid == below):
                        out[k, i] = laid
                    elif coverage[i] > zero:
                        light = coverage[i] * decode[np.uint64(laid)] + under[i - first] * decode[np.uint64(below)]
                        out[k, i] = light_code(light * inverse[i - first], encode)
            elif values != 0:
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
                    out[k, i] = values_u16[k] if coverage[i] > zero else out[k, i]


@kernel(numba.void(i32[::1], i32[::1], i64, f32[::1], numba.uint16[:, ::1], i32, *MIXING, numba.uint16[:, ::1]), allocates=True)
def toward_runs(starts, counts, base, coverage, values, comps, decode, encode, out):
    """Move a plane as it was before the stroke towards `values`, colour and coverage alike, by the stroke's coverage.

    values, out : (comps + 1, 65536) uint16 straight alpha, alpha last; base : address of what was there, 0 for nothing
    decode, encode : as of `paint_runs`
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
            if len(decode) > 0:
                for i in range(first, end):
                    old = before[row + i] if base != 0 else np.uint16(0)
                    if inverse[i - first] > zero and (was[i - first] <= zero or values[k, i] == old):
                        out[k, i] = values[k, i]
                    elif inverse[i - first] > zero:
                        light = was[i - first] * decode[np.uint64(old)] + new[i - first] * decode[np.uint64(values[k, i])]
                        out[k, i] = light_code(light * inverse[i - first], encode)
                continue
            for i in range(first, end):
                old = np.float32(before[row + i]) if base != 0 else zero
                value = (was[i - first] * old + new[i - first] * np.float32(values[k, i])) * inverse[i - first] + half
                out[k, i] = np.uint16(np.int32(value)) if inverse[i - first] > zero else out[k, i]


@kernel(numba.void(i32[::1], numba.int64, numba.int64, f32, f32[::1], f32[::1], u8[:, ::1], numba.boolean))
def flood_coverage(owner, first, last, strength, shares, coverage, dirty, is_sheet):
    """Set coverage of covered samples first … last to `strength` times their shares, where they have any."""
    for s in range(first, last):
        if owner[s] >= 0 and shares[s] > 0:
            coverage[s] = strength * shares[s]
            dirty[chunk_of(s), block_of(s, is_sheet)] = 1
