"""Dabs with a picture, a grain, limits or a colour of their own: weighed sample by sample. Round plain dabs are in `_dab_kernels`."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush._dab_kernels import STRETCH, WHOLE, tile_bits, tile_of
from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.kernels import inline, kernel
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
CHUNK = 65536
FADE = np.float32(FACING_FADE_COS)
FLOW, PAST, LEVEL = 0, 1, 2


@inline
def _bilinear(picture, u, v, wraps):
    """A square picture at (u, v) in texels; beyond its edge 0, or the picture again (then its side is a power of two)."""
    side, one = picture.shape[0], np.float32(1)
    x0, y0 = np.floor(u), np.floor(v)
    fx, fy = u - x0, v - y0
    x, y = np.int64(x0), np.int64(y0)
    if wraps:
        m = side - 1
        top = picture[y & m, x & m] * (one - fx) + picture[y & m, (x + 1) & m] * fx
        below = picture[(y + 1) & m, x & m] * (one - fx) + picture[(y + 1) & m, (x + 1) & m] * fx
        return top * (one - fy) + below * fy
    left, right = 0 <= x < side, -1 <= x < side - 1
    top, below = np.float32(0), np.float32(0)
    if 0 <= y < side:
        top = (picture[y, x] * (one - fx) if left else top) + (picture[y, x + 1] * fx if right else np.float32(0))
    if -1 <= y < side - 1:
        below = (picture[y + 1, x] * (one - fx) if left else below) + (picture[y + 1, x + 1] * fx if right else np.float32(0))
    return top * (one - fy) + below * fy


@inline
def _grained(grain, depth, size, fixed, x, y, z, nx, ny, nz, along, across):
    """What a grain leaves of the paint at a sample: on the surface three pictures along the axes, weighed by where it faces."""
    side = np.float32(grain.shape[0])
    scale = side / size
    if not fixed:
        held = _bilinear(grain, along * scale, across * scale, True)
    else:
        wx, wy, wz = nx * nx * nx * nx, ny * ny * ny * ny, nz * nz * nz * nz
        total = wx + wy + wz
        if total <= np.float32(0):
            return np.float32(1) - depth * (np.float32(1) - _bilinear(grain, x * scale, y * scale, True))
        held = wx * _bilinear(grain, y * scale, z * scale, True) + wy * _bilinear(grain, x * scale, z * scale, True)
        held = (held + wz * _bilinear(grain, x * scale, y * scale, True)) / total
    return np.float32(1) - depth * (np.float32(1) - held)


@inline
def weigh(dx, dy, dz, nx, ny, nz, inv, along, across, up, roundness, hardness, limit, depth, tip, flip, bend, tips):
    """Weight of a dab at an offset from its centre, and the offset along the tip's two axes in radii: (weight, a, b).

    inv : one over the radius; along, across, up : the tip's axes and the dab's normal, three numbers each
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
        distance = np.sqrt(a * a + b * b + bent * bent)
        if distance >= one:
            return zero, a, b
        if distance > hardness:
            t = (distance - hardness) / (one - hardness)
            weight *= one - t * t * (np.float32(3) - np.float32(2) * t)
        return weight, a, b
    if not (abs(a) < one and abs(b) < one):
        return zero, a, b
    # A picture stands on the surface; away from its plane it fades.
    if not bend:
        weight *= min(max((one - abs(h)) * np.float32(4), zero), one)
    picture = tips[tip]
    half = np.float32(0.5) * np.float32(picture.shape[0])
    weight *= _bilinear(picture, (a * flip + one) * half - np.float32(0.5), (one - b) * half - np.float32(0.5), False)
    return weight, a, b


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


_SETTINGS = (f32[:, :, ::1], f32[:, ::1], f32, f32, numba.boolean, f32, i32, f32[::1], f32[:, ::1], u8[:, ::1])


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
        *_SETTINGS,
    ),
    late=True,
    allocates=True,
)
def rich_balls(
    dabs, low, cell, dims, start, slot, xyz, normal, allowed, spacing, square, z_first, z_last,
    tips, grain, grain_depth, grain_size, grain_fixed, reach, build, coverage, marks, dirty,
):  # fmt: skip
    """Raise coverage of samples that dabs reach, in the grid's layers z_first … z_last, dab after dab.

    dabs : (n, 31), see path.RICH_COLUMNS; tips : (k, side, side) weights; grain : (side, side), or (1, 1) with depth 0
    reach : radii a dab can reach; marks : what the stroke remembers of colours, (slots, 4), (slots, 1) of mixing alone, or none
    """
    one, zero, scale = np.float32(1), np.float32(0), np.float32(1 / 127)
    within, marked = tile_bits(square), ~np.uint64(0)
    held, raised = np.empty(STRETCH + WHOLE, np.float32), np.empty(STRETCH + WHOLE, np.float32)
    weights, at_a, at_b = np.empty(STRETCH + WHOLE, np.float32), np.empty(STRETCH + WHOLE, np.float32), np.empty(STRETCH + WHOLE, np.float32)
    for d in range(len(dabs)):
        cx, cy, cz, r = dabs[d, 0], dabs[d, 1], dabs[d, 2], dabs[d, 3]
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        r = max(r, np.float32(0.6) * spacing)
        # Held in registers: the compiler cannot know that coverage is not part of the dabs.
        along, across = (dabs[d, 7], dabs[d, 8], dabs[d, 9]), (dabs[d, 10], dabs[d, 11], dabs[d, 12])
        up, inv, roundness = (dabs[d, 4], dabs[d, 5], dabs[d, 6]), one / r, dabs[d, 13]
        hardness = max(zero, min(dabs[d, 14], one - spacing * inv))
        flow, cap, limit, depth, tip, flip = dabs[d, 15], dabs[d, 16], dabs[d, 17], dabs[d, 18], np.int64(dabs[d, 19]), dabs[d, 20]
        mix, hue, saturation, value, travelled, bend = dabs[d, 21], dabs[d, 22], dabs[d, 23], dabs[d, 24], dabs[d, 28], dabs[d, 30] > zero
        way = (dabs[d, 25], dabs[d, 26], dabs[d, 27])
        by_side = way[0] * way[0] + way[1] * way[1] + way[2] * way[2] > zero
        # Across the stroke: the tip's offset, turned to the way across it.
        side_a = along[0] * way[0] + along[1] * way[1] + along[2] * way[2]
        side_b = (across[0] * way[0] + across[1] * way[1] + across[2] * way[2]) * roundness
        short, slope = inv / roundness, one / (one - hardness) if hardness < one else np.float32(1e6)
        inv_fade = one / min(FADE, np.float32(0.5) * (one - limit)) if limit > np.float32(-2) and limit < one else one
        # How far above and below its plane it reaches: a picture fades away from it, a ball ends by itself.
        reach_h, inv_h = (one, np.float32(4)) if tip >= 0 else (np.float32(1e6), one)
        if depth > zero and (tip < 0 or depth < reach_h):
            reach_h, inv_h = depth, np.float32(4) / depth
        far = r * reach
        z0 = max(min(max(int(np.floor((cz - far - low[2]) / cell)), 0), dims[2] - 1), z_first)
        z1 = min(min(max(int(np.floor((cz + far - low[2]) / cell)), 0), dims[2] - 1), z_last)
        y0 = min(max(int(np.floor((cy - far - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((cy + far - low[1]) / cell)), 0), dims[1] - 1)
        for z in range(z0, z1 + 1):
            gz = max(low[2] + np.float32(z * cell) - cz, cz - low[2] - np.float32((z + 1) * cell), zero)
            for y in range(y0, y1 + 1):
                gy = max(low[1] + np.float32(y * cell) - cy, cy - low[1] - np.float32((y + 1) * cell), zero)
                rest = far * far - gz * gz - gy * gy
                if rest < 0:
                    continue
                half = np.sqrt(rest)
                x0 = min(max(int(np.floor((cx - half - low[0]) / cell)), 0), dims[0] - 1)
                x1 = min(max(int(np.floor((cx + half - low[0]) / cell)), 0), dims[0] - 1)
                row = (z * dims[1] + y) * dims[0]
                end = start[row + x1 + 1]
                for first in range(start[row + x0], end, STRETCH):
                    n = min(STRETCH, end - first)
                    base = np.uint64(first)
                    # What does not fill a vector is done one by one: some samples more are weighed, and forgotten.
                    filled = min((np.uint64(n) + np.uint64(WHOLE - 1)) & ~np.uint64(WHOLE - 1), np.uint64(len(slot)) - base)
                    if bend:
                        for i in range(n):
                            k = first + i
                            nx, ny, nz = np.float32(normal[0, k]) * scale, np.float32(normal[1, k]) * scale, np.float32(normal[2, k]) * scale
                            dx, dy, dz = xyz[0, k] - cx, xyz[1, k] - cy, xyz[2, k] - cz
                            weights[i], at_a[i], at_b[i] = weigh(
                                dx, dy, dz, nx, ny, nz, inv, along, across, up, roundness, hardness, limit, depth, tip, flip, bend, tips
                            )
                    else:
                        # Without a branch, so that this becomes vector instructions.
                        for i in range(filled):
                            m = base + i
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
                            if tip < 0:
                                t = (np.sqrt(a * a + b * b + h * h) - hardness) * slope
                                t = one if t > one else t
                                t = zero if t < zero else t
                                w = w * (one - t * t * (np.float32(3) - np.float32(2) * t))
                            at_a[i], at_b[i], weights[i] = a, b, w
                        if tip >= 0:
                            picture = tips[tip]
                            half = np.float32(0.5) * np.float32(picture.shape[0])
                            for i in range(n):
                                a, b = at_a[i], at_b[i]
                                if weights[i] > zero and abs(a) < one and abs(b) < one:
                                    u, v = (a * flip + one) * half - np.float32(0.5), (one - b) * half - np.float32(0.5)
                                    weights[i] *= _bilinear(picture, u, v, False)
                                else:
                                    weights[i] = zero
                    if grain_depth > zero:
                        for i in range(n):
                            if weights[i] > zero:
                                k = first + i
                                nx, ny, nz = np.float32(normal[0, k]) * scale, np.float32(normal[1, k]) * scale, np.float32(normal[2, k]) * scale
                                u, v = travelled + at_a[i] * r, at_b[i] * roundness * r
                                gx, gy, gz = xyz[0, k], xyz[1, k], xyz[2, k]
                                weights[i] *= _grained(grain, grain_depth, grain_size, grain_fixed, gx, gy, gz, nx, ny, nz, u, v)
                    # Fetched, raised in vector instructions, and put back where that changed something.
                    for i in range(np.uint64(n)):
                        held[i] = coverage[np.uint64(slot[base + i])]
                    for i in range(filled):
                        raised[i] = _raised(held[i], cap, flow, weights[i], build)
                    if len(marks):
                        # The share of its colour, and how far that is mixed, in place of what is needed no more.
                        for i in range(filled):
                            weights[i] = (raised[i] - held[i]) / (raised[i] if raised[i] > zero else one)
                            at_a[i] = _mixture(mix, by_side, at_a[i] * side_a + at_b[i] * side_b)
                    for i in range(np.uint64(n)):
                        if raised[i] > held[i]:
                            s = np.uint64(slot[base + i])
                            if len(allowed) and allowed[s] == 0:
                                continue
                            coverage[s] = raised[i]
                            if len(marks):
                                _remember(marks, s, weights[i], at_a[i], hue, saturation, value)
                            # Samples of one tile follow each other.
                            if s & within != marked:
                                marked = s & within
                                dirty[s >> np.uint64(16), tile_of(np.int64(s), square)] = 1


@kernel(numba.void(f32[:, ::1], i32, i32[::1], u8[::1], *_SETTINGS), late=True)
def rich_discs(
    dabs, side, owner, allowed, tips, grain, grain_depth, grain_size, grain_fixed, reach, build, coverage, marks, dirty,
):  # fmt: skip
    """The same on the flat sheet: centres, radii and axes in texels (x right, y down), everything faces the dab. See `rich_balls`."""
    zero, one = np.float32(0), np.float32(1)
    chunks = side // 256
    for d in range(len(dabs)):
        cx, cy, r = dabs[d, 0], dabs[d, 1], dabs[d, 3]
        if not (r > 0 and np.isfinite(cx + cy + r)):
            continue
        r = max(r, np.float32(0.75))
        # Held in registers: the compiler cannot know that coverage is not part of the dabs.
        along, across = (dabs[d, 7], dabs[d, 8], dabs[d, 9]), (dabs[d, 10], dabs[d, 11], dabs[d, 12])
        up, inv, roundness = (dabs[d, 4], dabs[d, 5], dabs[d, 6]), one / r, dabs[d, 13]
        hardness = max(zero, min(dabs[d, 14], one - inv))
        flow, cap, limit, depth, tip, flip = dabs[d, 15], dabs[d, 16], dabs[d, 17], dabs[d, 18], np.int64(dabs[d, 19]), dabs[d, 20]
        mix, hue, saturation, value, travelled, bend = dabs[d, 21], dabs[d, 22], dabs[d, 23], dabs[d, 24], dabs[d, 28], dabs[d, 30] > zero
        way = (dabs[d, 25], dabs[d, 26], dabs[d, 27])
        by_side = way[0] * way[0] + way[1] * way[1] + way[2] * way[2] > zero
        # Across the stroke: the tip's offset, turned to the way across it.
        side_a = along[0] * way[0] + along[1] * way[1] + along[2] * way[2]
        side_b = (across[0] * way[0] + across[1] * way[1] + across[2] * way[2]) * roundness
        far = r * reach
        for y in range(max(int(np.floor(cy - far)), 0), min(int(np.floor(cy + far)), side - 1) + 1):
            for x in range(max(int(np.floor(cx - far)), 0), min(int(np.floor(cx + far)), side - 1) + 1):
                dx, dy = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
                s = ((y >> 8) * chunks + (x >> 8)) * CHUNK + ((y & 255) << 8) + (x & 255)
                if dx * dx + dy * dy >= far * far or owner[s] < 0 or (len(allowed) and allowed[s] == 0):
                    continue
                weight, a, b = weigh(dx, dy, zero, zero, zero, one, inv, along, across, up, roundness, hardness, limit, depth, tip, flip, bend, tips)
                if weight <= zero:
                    continue
                if grain_depth > zero:
                    u, v = travelled + a * r, b * r
                    weight *= _grained(grain, grain_depth, grain_size, grain_fixed, np.float32(x), np.float32(y), zero, zero, zero, one, u, v)
                c = coverage[s]
                now = _raised(c, cap, flow, weight, build)
                if now > c:
                    coverage[s] = now
                    if len(marks):
                        mixed = _mixture(mix, by_side, a * side_a + b * side_b)
                        _remember(marks, s, (now - c) / now, mixed, hue, saturation, value)
                    dirty[s >> 16, ((y & 255) >> 4) * 16 + ((x & 255) >> 4)] = 1


@kernel(numba.void(i32[::1], i32[::1], i32, f32[:, ::1], u16[::1], u16[::1], numba.boolean, u16[:, ::1]), late=True)
def mixed_codes(starts, counts, chunk, marks, first, second, turns, out):
    """Codes that a stroke of many colours lays in a chunk: from `first` to `second` by the mark of mixing.

    turns : whether their hue, saturation and value differ, too; then there are three components

    marks : (slots, 4) mixing, hue (turns), saturation and value (shares), or (slots, 1) mixing alone; out : (components, 65536) uint16
    """
    full, half, zero = np.float32(65535), np.float32(0.5), np.float32(0)
    comps = len(first)
    shares = marks.reshape(-1)
    for run in range(len(starts)):
        begin, end = starts[run], starts[run] + counts[run]
        if not turns:
            # Indices without a sign, so that this becomes vector instructions.
            home = np.uint64(chunk * CHUNK)
            for k in range(comps):
                low, span = np.float32(first[k]) + half, np.float32(second[k]) - np.float32(first[k])
                if marks.shape[1] == 1:
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
                (np.float32(first[0]) + (np.float32(second[0]) - np.float32(first[0])) * m) / full,
                (np.float32(first[1]) + (np.float32(second[1]) - np.float32(first[1])) * m) / full,
                (np.float32(first[2]) + (np.float32(second[2]) - np.float32(first[2])) * m) / full,
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
