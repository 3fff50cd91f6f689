"""Dabs with a picture, a grain, limits or a colour of their own: weighed sample by sample. Round plain dabs are in `_dab_kernels`."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core._fading_kernels import left_of
from ruvelt.core.brush._dab_kernels import (
    GROUP,
    MIXING,
    ROOM,
    STRETCH,
    WHOLE,
    block_bits,
    boxes_of,
    cells_reached,
    density_of,
    light_code,
    next_stretch,
    passed,
    ramp_of,
    smooth,
    walked_before,
)
from ruvelt.core.brush.dab import (
    ASIDE,
    BENT,
    CAP,
    DEPTH,
    FACING,
    FLIP,
    FLOW,
    HARDNESS,
    HUE,
    LONG,
    MIX,
    MIX_CHANGE,
    NORMAL,
    RADIUS,
    ROUNDNESS,
    SATURATION,
    SHORT,
    SWEEP,
    TIP,
    TRAVELLED,
    VALUE,
    X,
    Y,
    Z,
    vector,
)
from ruvelt.core.brush.tip_arrays import SWEPT, TIPS
from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.kernels import f32_scratch, i64_scratch, inline, kernel, u32_scratch, u64_scratch
from ruvelt.core.samples._cell_kernels import first_texel, last_texel
from ruvelt.core.samples.address import CHUNK, block_of, chunk_of, slot_at
from ruvelt.core.samples.arrays import SAMPLES
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8, u16, u64 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16, numba.uint64
FADE = np.float32(FACING_FADE_COS)
BY_FLOW, PAST, LEVEL = 0, 1, 2
#: Half side of a table of running sums, radii: the corners of a picture lie so far from its middle. Its values are shares of both halves.
EXTENT = 2.0**0.5
FULL = 2 * EXTENT


@inline
def _between(four, fx, fy):
    """0–1 between the four texels of a picture that lie in one value, see tips.quads."""
    low, one = np.uint64(65535), np.float32(1)
    left, right = np.float32(np.int32(four & low)), np.float32(np.int32((four >> np.uint64(16)) & low))
    under_left, under_right = np.float32(np.int32((four >> np.uint64(32)) & low)), np.float32(np.int32(four >> np.uint64(48)))
    top, below = left * (one - fx) + right * fx, under_left * (one - fx) + under_right * fx
    return (top * (one - fy) + below * fy) * np.float32(1 / 65535)


@inline
def _tip_place(picture, a, b, flip):
    """(x, y, fx, fy): the texel of a tip's picture, which has an empty edge, at (a, b) in its half sides, −1 … 1, upwards; and how far past it."""
    half = np.float32(0.5) * np.float32(picture.shape[0] - 2)
    u, v = (a * flip + np.float32(1)) * half + np.float32(0.5), (np.float32(1) - b) * half + np.float32(0.5)
    x, y = np.int32(u), np.int32(v)
    return x, y, u - np.float32(x), v - np.float32(y)


@inline
def _grain_place(grain, scale, along, across):
    """The same for a grain that is repeated without end; its side is a power of two. scale : its texels a length"""
    u, v, m = along * scale, across * scale, np.int32(grain.shape[0] - 1)
    x, y = np.floor(u), np.floor(v)
    return np.int32(x) & m, np.int32(y) & m, u - x, v - y


@inline
def _grain_at(grain, scale, along, across):
    x, y, fx, fy = _grain_place(grain, scale, along, across)
    return _between(grain[np.uint64(y), np.uint64(x)], fx, fy)


@inline
def _sides(nx, ny, nz):
    """Shares of the three pictures of a grain that is fixed to the surface, by where that faces; without a normal as seen from the front."""
    wx, wy, wz = nx * nx * nx * nx, ny * ny * ny * ny, nz * nz * nz * nz
    # What hardly counts is left out, so that it need not be read.
    zero, least = np.float32(0), np.float32(1e-3) * (wx + wy + wz)
    wx, wy, wz = (wx if wx > least else zero), (wy if wy > least else zero), (wz if wz > least else zero)
    total = wx + wy + wz
    inverse = np.float32(1) / (total if total > zero else np.float32(1))
    return wx * inverse, wy * inverse, (wz * inverse if total > zero else np.float32(1))


@inline
def grained(settings, flat, x, y, z, nx, ny, nz, along, across):
    """What a grain leaves of the paint at a place; along, across : the same from where a stroke began, in lengths like `size`.

    fixed : to the surface, on the model from three sides; else it lies along the stroke
    """
    grain, depth, size, fixed = settings.picture, np.float32(settings.depth), np.float32(settings.size), settings.fixed
    one, scale = np.float32(1), np.float32(grain.shape[0]) / size
    if not fixed:
        held = _grain_at(grain, scale, along, across)
    elif flat:
        held = _grain_at(grain, scale, x, y)
    else:
        wx, wy, wz = _sides(nx, ny, nz)
        held = wx * _grain_at(grain, scale, y, z) + wy * _grain_at(grain, scale, x, z) + wz * _grain_at(grain, scale, x, y)
    return one - depth * (one - held)


@inline
def _look_up(pictures, begin, end, index, four):
    """What lies at places of a picture, by itself: loads from scattered places would keep all around them from becoming vector instructions."""
    flat = pictures.reshape(-1)
    for i in range(begin, end):
        four[i] = flat[np.uint64(index[i])]


@inline
def weigh(dx, dy, dz, nx, ny, nz, inv, along, across, up, roundness, inner, outer, limit, depth, tip, flip, bend, tips):
    """Weight of a dab at an offset from its centre, and the offset along the tip's two axes in radii: (weight, a, b).

    inv : one over the radius; along, across, up : the tip's axes and the dab's normal, three numbers each
    inner, outer : ends of a round tip's ramp, radii
    """
    one, zero = np.float32(1), np.float32(0)
    a = (dx * along[0] + dy * along[1] + dz * along[2]) * inv
    b = (dx * across[0] + dy * across[1] + dz * across[2]) * inv
    h = (dx * up[0] + dy * up[1] + dz * up[2]) * inv
    cosine = nx * up[0] + ny * up[1] + nz * up[2]
    weight = one
    if limit > np.float32(-2):
        # Close about the dab's own way there is no room for the usual fade.
        weight = min(max((cosine - limit) / min(FADE, np.float32(0.5) * (one - limit)), zero), one)
        if weight <= zero:
            return zero, a, b
    if depth > zero:
        weight *= min(max((depth - abs(h)) / (np.float32(0.25) * depth), zero), one)
    if bend:
        # Lengths over a bent surface: chord to arc, as on a circle between the two normals.
        planar = np.sqrt(a * a + b * b)
        if planar > zero:
            half = np.arccos(min(max(cosine, -one), one)) * np.float32(0.5)
            stretch = half / np.sin(half) if half > np.float32(1e-3) else one
            longer = np.sqrt(planar * planar + h * h) * stretch / planar
            a, b = a * longer, b * longer
    b /= roundness
    if tip < 0:
        bent = zero if bend else h
        far = a * a + b * b + bent * bent
        return weight * smooth((outer * outer - far) / (outer * outer - inner * inner)), a, b
    if not (abs(a) < one and abs(b) < one):
        return zero, a, b
    # A picture stands on the surface; away from its plane it fades.
    if not bend:
        weight *= min(max((one - abs(h)) * np.float32(4), zero), one)
    x, y, fx, fy = _tip_place(tips[tip], a, b, flip)
    return weight * _between(tips[tip, np.uint64(y), np.uint64(x)], fx, fy), a, b


@inline
def _raised(c, cap, flow, weight, build):
    """Coverage after a dab."""
    if build == LEVEL:
        level = cap * weight
        return level if level > c else c
    if build == PAST:
        return c + (np.float32(1) - c) * (flow * cap * weight)
    gap = cap - c
    gap = gap if gap > np.float32(0) else np.float32(0)
    return c + gap * (flow * weight)


@inline
def _rim(a, b, flat, edge, sharp):
    """Share of a sample that lies inside the rim of a round tip: what a dab lays there is capped by it, however often it comes.

    a, b : offsets along the tip's axes, radii; flat : long over short side; edge : a sample, radii; sharp : whether it is a round tip
    """
    near = np.sqrt(a * a + b * b) + np.float32(1e-12)
    steep = np.sqrt(a * a + b * b * flat * flat)
    share = np.float32(0.5) + (np.float32(1) - near) * near / (edge * steep + np.float32(1e-12))
    share = share if share > np.float32(0) else np.float32(0)
    share = share if share < np.float32(1) else np.float32(1)
    return share if sharp else np.float32(1)


@inline
def _table_place(table, u, w):
    """(x, y, fx, fy): where a table of running sums tells of a place along its lines and across them, radii; see sweeps.running_sums."""
    last = np.float32(table.shape[0])
    scale = last * np.float32(0.5 / EXTENT)
    x, y = (u + np.float32(EXTENT)) * scale, (w + np.float32(EXTENT)) * scale - np.float32(0.5)
    x = min(max(x, np.float32(0)), last - np.float32(1e-2))
    y = min(max(y, np.float32(0)), last - np.float32(1.01))
    column, row = np.int32(x), np.int32(y)
    return column, row, x - np.float32(column), y - np.float32(row)


@inline
def _mixture(mix, across, side):
    """How far a dab's colour is mixed at a sample. side : the tip's offset across the stroke"""
    between = np.float32(0.5) + np.float32(0.5) * side
    between = between if between > np.float32(0) else np.float32(0)
    between = between if between < np.float32(1) else np.float32(1)
    return between if across else mix


@inline
def _remember(marks, slot, share, mix, hue, saturation, value):
    """Move what the stroke remembers of its dabs' colours at a slot towards one dab's."""
    marks[slot, 0] += (mix - marks[slot, 0]) * share
    if marks.shape[1] < 4:
        return
    marks[slot, 1] += (hue - marks[slot, 1]) * share
    marks[slot, 2] += (saturation - marks[slot, 2]) * share
    marks[slot, 3] += (value - marks[slot, 3]) * share


@inline
def way_of(dabs, d, inv, short):
    """(va, vb, vh, length): the way of length 1 that a rich dab was swept, along its axes, and how long that is, radii; 0 for one by itself.

    inv, short : one over the long and the short radius
    """
    vx, vy, vz = vector(dabs, d, SWEEP)
    va = (vx * dabs[d, LONG] + vy * dabs[d, LONG + 1] + vz * dabs[d, LONG + 2]) * inv
    vb = (vx * dabs[d, SHORT] + vy * dabs[d, SHORT + 1] + vz * dabs[d, SHORT + 2]) * short
    # A picture lies in its plane; a ball has a way off it.
    vh = (vx * dabs[d, NORMAL] + vy * dabs[d, NORMAL + 1] + vz * dabs[d, NORMAL + 2]) * inv if dabs[d, TIP] < np.float32(0) else np.float32(0)
    length = np.sqrt(va * va + vb * vb + vh * vh)
    # What is bent with the surface is laid dab by dab.
    swept = length > np.float32(1e-6) and not dabs[d, BENT] > np.float32(0)
    over = np.float32(1) / length if swept else np.float32(0)
    return va * over, vb * over, vh * over, (length if swept else np.float32(0))


@inline
def met_at(a, b, va, vb, length, y):
    """How far behind its end, a share of it, a sweep laid what it laid at a place, in the mean: right for a tip of one weight.

    a, b : the place from its end, radii; va, vb, length : the sweep, see `way_of`; y : what it lays, as an exponent
    """
    zero, one, half = np.float32(0), np.float32(1), np.float32(0.5)
    s = a * va + b * vb
    rest = one - (a * a + b * b - s * s)
    reach = np.sqrt(rest if rest > zero else zero)
    begin, end = reach - s, -reach - s
    begin = begin if begin > zero else zero
    begin = begin if begin < length else length
    end = end if end > zero else zero
    end = end if end < length else length
    # The first of it lays most: 1 / y − 1 / (e^y − 1), by its series where that is a difference of large numbers.
    gone = left_of(y)
    late = one / max(y, half) - gone / max(one - gone, np.float32(1e-3))
    early = half - y * (np.float32(1 / 12) - y * y * np.float32(1 / 720))
    return (begin - (begin - end) * (early if y < one else late)) / max(length, np.float32(1e-6))


@inline
def flow_of(dabs, d, spacing, begin, end, build, weights, at_a, at_b, behind, told):
    """Flow of a rich dab. Of a swept one weights[begin:end] become the shares that it lays, from integrals.

    behind[begin:end], where that is `told` : how far behind its end a sweep laid them, a share of it
    """
    one, zero = np.float32(1), np.float32(0)
    inv = one / max(dabs[d, RADIUS], np.float32(0.6) * spacing)
    va, vb, _, length = way_of(dabs, d, inv, inv / dabs[d, ROUNDNESS])
    flow, cap = dabs[d, FLOW], dabs[d, CAP]
    if not length > zero:
        if told:
            for i in range(begin, end):
                behind[i] = zero
        return flow
    # Past its strength a stroke goes by what both make together.
    density = density_of(flow * cap if build == PAST else flow)
    if told:
        for i in range(begin, end):
            behind[i] = met_at(at_a[i], at_b[i], va, vb, length, weights[i] * density)
    for i in range(begin, end):
        weights[i] = one - left_of(weights[i] * density)
    return one / max(cap, np.float32(1e-6)) if build == PAST else one


@inline
def _weigh_stretch(
    dabs, d, first, n, whole, spacing, xyz, normal, pictures, swept, texture, at, weights,
    at_a, at_b, rims, index, part_x, part_y, four,
):  # fmt: skip
    """weights[at …] = weights of dab `d` at the sorted samples first … first + n, or their integrals over its sweep.

    at_a, at_b : the samples' offsets along the tip's axes in radii; rims : the share of them inside the rim of a round tip
    whole : n or more, of which the rest get no weight: what does not fill a vector is done one by one
    texture[at …] : two less what a grain that is fixed to the surface leaves of the paint there
    """
    tips, tables, turns, grain = pictures.pictures, swept.tables, swept.turns, pictures.grain.picture
    grain_depth, grain_size, grain_fixed = np.float32(pictures.grain.depth), np.float32(pictures.grain.size), pictures.grain.fixed
    one, zero, scale = np.float32(1), np.float32(0), np.float32(1 / 127)
    cx, cy, cz, r = dabs[d, X], dabs[d, Y], dabs[d, Z], max(dabs[d, RADIUS], np.float32(0.6) * spacing)
    # Held in registers: the compiler cannot know that coverage is not part of the dabs.
    along, across = vector(dabs, d, LONG), vector(dabs, d, SHORT)
    up, inv, roundness = vector(dabs, d, NORMAL), one / r, dabs[d, ROUNDNESS]
    inner, outer = ramp_of(dabs[d, HARDNESS], spacing * inv)
    outer_sq, slope = outer * outer, one / (outer * outer - inner * inner)
    limit, depth, tip, flip = dabs[d, FACING], dabs[d, DEPTH], np.int64(dabs[d, TIP]), dabs[d, FLIP]
    travelled, bend = dabs[d, TRAVELLED], dabs[d, BENT] > zero
    flat, sharp, edge = one / roundness, tip < 0, spacing * inv
    if bend:
        for i in range(np.int64(n)):
            k = np.int64(first) + i
            nx, ny, nz = np.float32(normal[0, k]) * scale, np.float32(normal[1, k]) * scale, np.float32(normal[2, k]) * scale
            dx, dy, dz = xyz[0, k] - cx, xyz[1, k] - cy, xyz[2, k] - cz
            j = np.int64(at) + i
            weights[j], at_a[j], at_b[j] = weigh(
                dx, dy, dz, nx, ny, nz, inv, along, across, up, roundness, inner, outer, limit, depth, tip, flip, bend, tips
            )
            rims[j] = _rim(at_a[j], at_b[j], flat, edge, sharp)
    else:
        short = inv / roundness
        inv_fade = one / min(FADE, np.float32(0.5) * (one - limit)) if limit > np.float32(-2) and limit < one else one
        # How far above and below its plane it reaches: a picture fades away from it, a ball ends by itself.
        reach_h, inv_h = (one, np.float32(4)) if tip >= 0 else (np.float32(1e6), one)
        if depth > zero and (tip < 0 or depth < reach_h):
            reach_h, inv_h = depth, np.float32(4) / depth
        # Without a branch, so that this becomes vector instructions.
        for i in range(whole):
            m = first + i
            dx, dy, dz = xyz[0, m] - cx, xyz[1, m] - cy, xyz[2, m] - cz
            a = (dx * along[0] + dy * along[1] + dz * along[2]) * inv
            b = (dx * across[0] + dy * across[1] + dz * across[2]) * short
            h = (dx * up[0] + dy * up[1] + dz * up[2]) * inv
            cosine = (np.float32(normal[0, m]) * up[0] + np.float32(normal[1, m]) * up[1] + np.float32(normal[2, m]) * up[2]) * scale
            w = (cosine - limit) * inv_fade
            w = one if w > one else w
            w = zero if w < zero else w
            h = h if h > zero else -h
            q = (reach_h - h) * inv_h
            q = one if q > one else q
            q = zero if q < zero else q
            w = w * q
            at_a[at + i], at_b[at + i], weights[at + i], rims[at + i] = a, b, w, one
        va, vb, vh, length = way_of(dabs, d, inv, short)
        if tip < 0 and length > zero:
            inv_edge = one / spacing
            for i in range(whole):
                m = first + i
                h = ((xyz[0, m] - cx) * up[0] + (xyz[1, m] - cy) * up[1] + (xyz[2, m] - cz) * up[2]) * inv
                over, _, rim = passed(at_a[at + i], at_b[at + i], h, va, vb, vh, length, inv, short, inv_edge, outer_sq, inner * inner, slope)
                weights[at + i] *= over
                rims[at + i] = rim
        elif tip < 0:
            for i in range(whole):
                m = first + i
                h = ((xyz[0, m] - cx) * up[0] + (xyz[1, m] - cy) * up[1] + (xyz[2, m] - cz) * up[2]) * inv
                a, b = at_a[at + i], at_b[at + i]
                weights[at + i] *= smooth((outer_sq - (a * a + b * b + h * h)) * slope)
                rims[at + i] = _rim(a, b, flat, edge, sharp)
        elif length > zero:
            table, cos, sin = np.int32(turns[d, 0]), turns[d, 1], turns[d, 2]
            side, wide = np.int32(tables.shape[1]), np.int32(tables.shape[2])
            begin = table * side * wide
            # A step's integral: what its lines have run up to at the place seen from its end, and from its start.
            step_u, step_w = length * (va * flip * cos + vb * sin), np.float32(0.5) * length * (vb * cos - va * flip * sin)
            size = np.float32(FULL) * length / max(abs(step_u), np.float32(1e-9))
            for far in range(2):
                shift, sign = (step_u, size) if far == 1 else (zero, -size)
                sign = sign if step_u > zero else -sign
                for i in range(whole):
                    a, b = at_a[at + i] * flip, at_b[at + i]
                    x, y, fx, fy = _table_place(tables[0], a * cos + b * sin + shift, b * cos - a * sin + step_w)
                    index[i], part_x[i], part_y[i] = np.uint32(begin + y * wide + x), fx, fy
                _look_up(tables, np.uint64(0), whole, index, four)
                for i in range(whole):
                    between = sign * _between(four[i], part_x[i], part_y[i])
                    rims[at + i] = between if far == 0 else rims[at + i] + between
            for i in range(whole):
                weights[at + i] *= max(rims[at + i], zero)
                rims[at + i] = one
        else:
            picture, side = tips[tip], np.int32(tips.shape[1])
            begin = np.int32(tip) * side * side
            for i in range(whole):
                a, b = at_a[at + i], at_b[at + i]
                inside = abs(a) < one and abs(b) < one
                a, b = (a if inside else zero), (b if inside else zero)
                x, y, fx, fy = _tip_place(picture, a, b, flip)
                index[i], part_x[i], part_y[i] = np.uint32(begin + y * side + x), fx, fy
                weights[at + i] = weights[at + i] if inside else zero
            _look_up(tips, np.uint64(0), whole, index, four)
            for i in range(whole):
                weights[at + i] *= _between(four[i], part_x[i], part_y[i])
    if grain_depth > zero and grain_fixed:
        for i in range(n):
            weights[at + i] *= np.float32(2) - texture[at + i]
    elif grain_depth > zero:
        size, grain_scale = np.int32(grain.shape[0]), np.float32(grain.shape[0]) / grain_size
        for i in range(whole):
            x, y, fx, fy = _grain_place(grain, grain_scale, travelled + at_a[at + i] * r, at_b[at + i] * roundness * r)
            index[i], part_x[i], part_y[i] = np.uint32(y * size + x), fx, fy
        _look_up(grain, np.uint64(0), whole, index, four)
        for i in range(whole):
            weights[at + i] *= one - grain_depth * (one - _between(four[i], part_x[i], part_y[i]))
    for i in range(n, whole):
        weights[at + i] = zero


@inline
def _texture_stretch(
    base, n, slot, xyz, normal, settings, textures, texture, share_x, share_y, share_z, held, index, part_x, part_y, four
):  # fmt: skip
    """texture[:n] = two less what a grain that is fixed to the surface leaves of the paint at the sorted samples from `base` on.

    textures : what is known of that by slot, 0 where it is not; it is worked out only once
    """
    one, zero, tiny = np.float32(1), np.float32(0), np.float32(1 / 127)
    # What is not known lies side by side, for a stroke goes one way.
    begin, end = n, np.uint64(0)
    for i in range(n):
        texture[i] = textures[np.uint64(slot[base + i])]
        if texture[i] == zero:
            begin, end = min(begin, i), i + np.uint64(1)
    if begin >= end:
        return
    grain, depth, size = settings.picture, np.float32(settings.depth), np.float32(settings.size)
    side, scale = np.int32(grain.shape[0]), np.float32(grain.shape[0]) / size
    any_x, any_y, any_z = False, False, False
    for i in range(begin, end):
        m = base + i
        nx, ny, nz = np.float32(normal[0, m]) * tiny, np.float32(normal[1, m]) * tiny, np.float32(normal[2, m]) * tiny
        share_x[i], share_y[i], share_z[i] = _sides(nx, ny, nz)
        held[i] = zero
        any_x, any_y, any_z = any_x or share_x[i] > zero, any_y or share_y[i] > zero, any_z or share_z[i] > zero
    for axis in range(3):
        if not (any_x if axis == 0 else (any_y if axis == 1 else any_z)):
            continue
        first, second = (1 if axis == 0 else 0), (1 if axis == 2 else 2)
        for i in range(begin, end):
            x, y, fx, fy = _grain_place(grain, scale, xyz[first, base + i], xyz[second, base + i])
            index[i], part_x[i], part_y[i] = np.uint32(y * side + x), fx, fy
        _look_up(grain, begin, end, index, four)
        for i in range(begin, end):
            share = share_x[i] if axis == 0 else (share_y[i] if axis == 1 else share_z[i])
            held[i] += share * _between(four[i], part_x[i], part_y[i])
    for i in range(begin, end):
        texture[i] = np.float32(2) - (one - depth * (one - held[i]))
    for i in range(begin, end):
        textures[np.uint64(slot[base + i])] = texture[i]


@kernel(numba.void(f32[:, ::1], SAMPLES, u8[::1], i32, i32, TIPS, SWEPT, f32[::1], f32[:, ::1], u8[:, ::1], f32[::1]), late=True)
def rich_balls(dabs, samples, allowed, z_first, z_last, tip, swept, coverage, marks, dirty, textures):
    """Raise coverage of samples that dabs reach, in the grid's layers z_first … z_last, dab after dab.

    dabs : (n, WIDTH) rich; marks : what the stroke remembers of colours, (slots, 4), (slots, 1) of mixing alone, or none
    textures : (slots,) what it remembers of a grain fixed to the surface, two less what that leaves, 0 where it was not asked; else none
    """
    grid, spacing, is_sheet = samples.grid, np.float32(samples.spacing), samples.is_sheet
    dims, start, slot, xyz, normal = grid.dims, grid.start, grid.slot, grid.xyz, grid.normal
    reach, build = np.float32(tip.reach), np.int32(tip.build)
    one, zero = np.float32(1), np.float32(0)
    within, marked, kept = block_bits(is_sheet), ~np.uint64(0), marks.shape[1] if len(marks) else 0
    box, reach_of, order = i64_scratch((GROUP, 4)), i64_scratch((GROUP, 2)), i64_scratch(GROUP)
    now, weights, at_a, at_b, shares = f32_scratch(ROOM), f32_scratch(ROOM), f32_scratch(ROOM), f32_scratch(ROOM), f32_scratch(ROOM)
    colours, texture, rims, behind = f32_scratch((4, ROOM)), f32_scratch(ROOM), f32_scratch(ROOM), f32_scratch(ROOM)
    index, part_x, part_y, four = u32_scratch(ROOM), f32_scratch(ROOM), f32_scratch(ROOM), u64_scratch(ROOM)
    for g in range(0, len(dabs), GROUP):
        size = min(GROUP, len(dabs) - g)
        left, right = boxes_of(dabs, g, size, reach, spacing, grid, z_first, z_last, box)
        for lead in range(size):
            for z in range(box[lead, 0], box[lead, 1] + 1):
                for y in range(box[lead, 2], box[lead, 3] + 1):
                    row = (z * dims[1] + y) * dims[0]
                    if start[row + left] == start[row + right + 1] or walked_before(box, lead, z, y):
                        continue
                    count = cells_reached(dabs, g, lead, size, reach, spacing, grid, z, y, box, reach_of, order)
                    taken = 0
                    while taken < count:
                        first = taken
                        taken, xa, xb = next_stretch(order, reach_of, first, count)
                        begin, end = start[row + xa], start[row + xb + 1]
                        for base in range(begin, end, STRETCH):
                            n = np.uint64(min(STRETCH, end - base))
                            for i in range(n):
                                now[i] = coverage[np.uint64(slot[np.uint64(base) + i])]
                            for k in range(kept):
                                for i in range(n):
                                    colours[k, i] = marks[np.uint64(slot[np.uint64(base) + i]), k]
                            if tip.grain.depth > 0 and tip.grain.fixed:
                                _texture_stretch(
                                    np.uint64(base), n, slot, xyz, normal, tip.grain, textures,
                                    texture, at_a, at_b, shares, weights, index, part_x, part_y, four,
                                )  # fmt: skip
                            for o in range(first, taken):
                                e, d = order[o], g + order[o]
                                a = max(base, start[row + reach_of[e, 0]])
                                b = min(base + np.int64(n), start[row + reach_of[e, 1] + 1])
                                if a >= b:
                                    continue
                                at, m = np.uint64(a - base), np.uint64(b - a)
                                whole = min((m + np.uint64(WHOLE - 1)) & ~np.uint64(WHOLE - 1), np.uint64(xyz.shape[1]) - np.uint64(a))
                                _weigh_stretch(
                                    dabs, d, np.uint64(a), m, whole, spacing, xyz, normal, tip, swept, texture, at, weights, at_a, at_b, rims, index,
                                    part_x, part_y, four,
                                )  # fmt: skip
                                cap = dabs[d, CAP]
                                flow = flow_of(dabs, d, spacing, at, at + whole, build, weights, at_a, at_b, behind, kept > 0)
                                if kept == 0:
                                    for i in range(at, at + whole):
                                        now[i] = _raised(now[i], cap * rims[i], flow, weights[i], build)
                                    continue
                                for i in range(at, at + whole):
                                    raised = _raised(now[i], cap * rims[i], flow, weights[i], build)
                                    shares[i] = (raised - now[i]) / (raised if raised > zero else one)
                                    now[i] = raised
                                direction = vector(dabs, d, ASIDE)
                                by_side = direction[0] * direction[0] + direction[1] * direction[1] + direction[2] * direction[2] > zero
                                # Across the stroke: the tip's offset, turned to the way across it.
                                side_a = dabs[d, LONG] * direction[0] + dabs[d, LONG + 1] * direction[1] + dabs[d, LONG + 2] * direction[2]
                                side_b = (
                                    dabs[d, SHORT] * direction[0] + dabs[d, SHORT + 1] * direction[1] + dabs[d, SHORT + 2] * direction[2]
                                ) * dabs[d, ROUNDNESS]
                                mix, change = dabs[d, MIX], dabs[d, MIX_CHANGE]
                                for i in range(at, at + whole):
                                    mixed = _mixture(mix - change * behind[i], by_side, at_a[i] * side_a + at_b[i] * side_b)
                                    colours[0, i] += (mixed - colours[0, i]) * shares[i]
                                for k in range(1, kept):
                                    other = dabs[d, MIX + k]
                                    for i in range(at, at + whole):
                                        colours[k, i] += (other - colours[k, i]) * shares[i]
                            for i in range(n):
                                s = np.uint64(slot[np.uint64(base) + i])
                                if now[i] > coverage[s] and (len(allowed) == 0 or allowed[s] != 0):
                                    coverage[s] = now[i]
                                    for k in range(kept):
                                        marks[s, k] = colours[k, i]
                                    # Samples of one block follow each other.
                                    if s & within != marked:
                                        marked = s & within
                                        dirty[s >> np.uint64(16), block_of(np.int64(s), is_sheet)] = 1


@inline
def _summed(tables, table, u, w):
    """What a table of running sums tells of a place."""
    x, y, fx, fy = _table_place(tables[0], u, w)
    return _between(tables[table, np.uint64(y), np.uint64(x)], fx, fy)


@kernel(numba.void(f32[:, ::1], i32, i32[::1], u8[::1], TIPS, SWEPT, f32[::1], f32[:, ::1], u8[:, ::1]), late=True)
def rich_discs(dabs, side, owner, allowed, pictures, swept_by, coverage, marks, dirty):
    """The same on the flat sheet: centres, radii and axes in texels (x right, y down), everything faces the dab. See `rich_balls`."""
    tips, tables, turns = pictures.pictures, swept_by.tables, swept_by.turns
    grain, grain_depth = pictures.grain, np.float32(pictures.grain.depth)
    reach, build = np.float32(pictures.reach), np.int32(pictures.build)
    zero, one = np.float32(0), np.float32(1)
    chunks = side // 256
    for d in range(len(dabs)):
        cx, cy, r = dabs[d, X], dabs[d, Y], dabs[d, RADIUS]
        if not (r > 0 and np.isfinite(cx + cy + r)):
            continue
        r = max(r, np.float32(0.75))
        # Held in registers: the compiler cannot know that coverage is not part of the dabs.
        along, across = vector(dabs, d, LONG), vector(dabs, d, SHORT)
        up, inv, roundness = vector(dabs, d, NORMAL), one / r, dabs[d, ROUNDNESS]
        inner, outer = ramp_of(dabs[d, HARDNESS], inv)
        flow, cap, limit, depth, tip, flip = dabs[d, FLOW], dabs[d, CAP], dabs[d, FACING], dabs[d, DEPTH], np.int64(dabs[d, TIP]), dabs[d, FLIP]
        mix, hue, saturation, value, travelled, bend = (
            dabs[d, MIX],
            dabs[d, HUE],
            dabs[d, SATURATION],
            dabs[d, VALUE],
            dabs[d, TRAVELLED],
            dabs[d, BENT] > zero,
        )
        direction = vector(dabs, d, ASIDE)
        by_side = direction[0] * direction[0] + direction[1] * direction[1] + direction[2] * direction[2] > zero
        # Across the stroke: the tip's offset, turned to the way across it.
        side_a = along[0] * direction[0] + along[1] * direction[1] + along[2] * direction[2]
        side_b = (across[0] * direction[0] + across[1] * direction[1] + across[2] * direction[2]) * roundness
        far = r * reach + np.float32(0.5)
        short = inv / roundness
        va, vb, _, length = way_of(dabs, d, inv, short)
        swept, density, behind = length > zero, zero, zero
        vx, vy = (dabs[d, SWEEP], dabs[d, SWEEP + 1]) if swept else (zero, zero)
        table, cos, sin = np.int64(turns[d, 0]), turns[d, 1], turns[d, 2]
        step_u, step_w = length * (va * flip * cos + vb * sin), np.float32(0.5) * length * (vb * cos - va * flip * sin)
        size = np.float32(FULL) * length / max(abs(step_u), np.float32(1e-9))
        if swept:
            density = density_of(flow * cap if build == PAST else flow)
            flow = one / max(cap, np.float32(1e-6)) if build == PAST else one
        left, right, top, bottom = min(cx, cx - vx) - far, max(cx, cx - vx) + far, min(cy, cy - vy) - far, max(cy, cy - vy) + far
        for y in range(first_texel(top, side), last_texel(bottom, side) + 1):
            for x in range(first_texel(left, side), last_texel(right, side) + 1):
                dx, dy = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
                s = slot_at(x, y, chunks)
                if owner[s] < 0 or (len(allowed) and allowed[s] == 0):
                    continue
                if swept:
                    a, b = (dx * along[0] + dy * along[1]) * inv, (dx * across[0] + dy * across[1]) * short
                    rim = one
                    if tip < 0:
                        weight, _, rim = passed(
                            a, b, zero, va, vb, zero, length, inv, short, one, outer * outer, inner * inner, one / (outer * outer - inner * inner)
                        )
                    else:
                        u, w = a * flip * cos + b * sin, b * cos - a * flip * sin + step_w
                        weight = size * abs(_summed(tables, table, u + step_u, w) - _summed(tables, table, u, w))
                elif dx * dx + dy * dy >= far * far:
                    continue
                else:
                    weight, a, b = weigh(
                        dx, dy, zero, zero, zero, one, inv, along, across, up, roundness, inner, outer, limit, depth, tip, flip, bend, tips
                    )
                    rim = _rim(a, b, one / roundness, inv, tip < 0)
                if weight <= zero:
                    continue
                if grain_depth > zero:
                    along_it, across_it = travelled + a * r, b * r
                    weight *= grained(grain, True, np.float32(x), np.float32(y), zero, zero, zero, one, along_it, across_it)
                if swept:
                    behind = met_at(a, b, va, vb, length, weight * density)
                    weight = one - left_of(weight * density)
                c = coverage[s]
                now = _raised(c, cap * rim, flow, weight, build)
                if now > c:
                    coverage[s] = now
                    if len(marks):
                        mixed = _mixture(mix - dabs[d, MIX_CHANGE] * behind, by_side, a * side_a + b * side_b)
                        _remember(marks, s, (now - c) / now, mixed, hue, saturation, value)
                    dirty[chunk_of(s), block_of(s, True)] = 1


@inline
def _mixed(first, second, share, decode, encode):
    """The code between two, mixed as light or as codes."""
    if len(decode) == 0:
        return np.uint16(np.float32(first) + np.float32(0.5) + (np.float32(second) - np.float32(first)) * share)
    if first == second:
        return np.uint16(first)
    low = decode[np.uint64(first)]
    return light_code(low + (decode[np.uint64(second)] - low) * share, encode)


@kernel(numba.void(i32[::1], i32[::1], i32, f32[:, ::1], u16[::1], u16[::1], numba.boolean, *MIXING, u16[:, ::1]), late=True)
def mixed_values(starts, counts, chunk, marks, first, second, turns, decode, encode, out):
    """Codes that a stroke of many colours lays in a chunk: from `first` to `second` by the mark of mixing.

    turns : whether their hue, saturation and value differ, too; then there are three components

    marks : (slots, 4) mixing, hue (turns), saturation and value (shares), or (slots, 1) mixing alone; out : (components, 65536) uint16
    decode, encode : colours are mixed as light by these tables, or as codes without
    """
    full, half, zero, u = np.float32(65535), np.float32(0.5), np.float32(0), np.float32(1 / 65535)
    comps = len(first)
    shares = marks.reshape(-1)
    for run in range(len(starts)):
        begin, end = starts[run], starts[run] + counts[run]
        if not turns:
            # Indices without a sign, so that this becomes vector instructions.
            home = np.uint64(chunk * CHUNK)
            for k in range(comps):
                low, span = np.float32(first[k]) + half, np.float32(second[k]) - np.float32(first[k])
                if len(decode) > 0:
                    for i in range(np.uint64(begin), np.uint64(end)):
                        out[k, i] = _mixed(first[k], second[k], marks[home + i, 0], decode, encode)
                elif marks.shape[1] == 1:
                    for i in range(np.uint64(begin), np.uint64(end)):
                        out[k, i] = np.uint16(low + span * shares[home + i])
                else:
                    for i in range(begin, end):
                        out[k, i] = np.uint16(low + span * marks[chunk * CHUNK + i, 0])
            continue
        for i in range(begin, end):
            s = chunk * CHUNK + i
            m = marks[s, 0]
            r, g, b = turn_hsv(
                np.float32(_mixed(first[0], second[0], m, decode, encode)) * u,
                np.float32(_mixed(first[1], second[1], m, decode, encode)) * u,
                np.float32(_mixed(first[2], second[2], m, decode, encode)) * u,
                marks[s, 1],
                marks[s, 2],
                marks[s, 3],
            )
            out[0, i] = np.uint16(min(max(r, zero), np.float32(1)) * full + half)
            out[1, i] = np.uint16(min(max(g, zero), np.float32(1)) * full + half)
            out[2, i] = np.uint16(min(max(b, zero), np.float32(1)) * full + half)


@kernel(numba.void(i32[::1], i32[::1], f32[::1], u16[::1], f32[::1]), late=True)
def confined(starts, counts, coverage, weights, out):
    """Coverage of a chunk times what a confinement lets through (uint16)."""
    for run in range(len(starts)):
        for i in range(starts[run], starts[run] + counts[run]):
            out[i] = coverage[i] * (np.float32(weights[i]) * np.float32(1 / 65535))
