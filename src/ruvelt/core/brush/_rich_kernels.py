"""Dabs with a picture, a grain, limits or a colour of their own: weighed sample by sample. Round plain dabs are in `_dab_kernels`."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

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
def _weigh(dabs, d, dx, dy, dz, nx, ny, nz, fade_width, tips):
    """Weight of a dab at an offset from its centre, and the offset along the tip's two axes in radii: (weight, a, b)."""
    one, zero = np.float32(1), np.float32(0)
    r = dabs[d, 3]
    inv = one / r
    a = (dx * dabs[d, 7] + dy * dabs[d, 8] + dz * dabs[d, 9]) * inv
    b = (dx * dabs[d, 10] + dy * dabs[d, 11] + dz * dabs[d, 12]) * inv
    h = (dx * dabs[d, 4] + dy * dabs[d, 5] + dz * dabs[d, 6]) * inv
    cosine = nx * dabs[d, 4] + ny * dabs[d, 5] + nz * dabs[d, 6]
    weight = one
    if dabs[d, 17] > np.float32(-2):
        # Close about the dab's own way there is no room for the usual fade.
        weight = min(max((cosine - dabs[d, 17]) / min(FADE, np.float32(0.5) * (one - dabs[d, 17])), zero), one)
        if weight <= zero:
            return zero, a, b
    if dabs[d, 18] > zero:
        weight *= min(max((dabs[d, 18] - abs(h)) / (np.float32(0.25) * dabs[d, 18]), zero), one)
    if dabs[d, 30] > zero:
        # Lengths over a bent surface: chord to arc, as on a circle between the two normals.
        planar = np.sqrt(a * a + b * b)
        if planar > zero:
            half = np.arccos(min(max(cosine, -one), one)) * np.float32(0.5)
            stretch = half / np.sin(half) if half > np.float32(1e-3) else one
            longer = np.sqrt(planar * planar + h * h) * stretch / planar
            a, b = a * longer, b * longer
    b /= dabs[d, 13]
    if dabs[d, 19] < zero:
        bent = zero if dabs[d, 30] > zero else h
        distance = np.sqrt(a * a + b * b + bent * bent)
        hardness = max(zero, min(dabs[d, 14], one - fade_width * inv))
        if distance >= one:
            return zero, a, b
        if distance > hardness:
            t = (distance - hardness) / (one - hardness)
            weight *= one - t * t * (np.float32(3) - np.float32(2) * t)
        return weight, a, b
    if not (abs(a) < one and abs(b) < one):
        return zero, a, b
    # A picture stands on the surface; away from its plane it fades.
    if not dabs[d, 30] > zero:
        weight *= min(max((one - abs(h)) * np.float32(4), zero), one)
    picture = tips[np.int64(dabs[d, 19])]
    half = np.float32(0.5) * np.float32(picture.shape[0])
    weight *= _bilinear(picture, (a * dabs[d, 20] + one) * half - np.float32(0.5), (one - b) * half - np.float32(0.5), False)
    return weight, a, b


@inline
def _lay(dabs, d, weight, a, b, slot, build, coverage, marks):
    """Raise coverage at a slot, and move what the stroke remembers of its dabs' colours towards this dab's. True where it rose."""
    c, cap = coverage[slot], dabs[d, 16]
    if build == LEVEL:
        now = max(c, cap * weight)
    elif build == PAST:
        now = c + (np.float32(1) - c) * (dabs[d, 15] * cap * weight)
    else:
        now = c + max(cap - c, np.float32(0)) * (dabs[d, 15] * weight)
    if not now > c:
        return False
    coverage[slot] = now
    if len(marks):
        share = (now - c) / now
        mix = dabs[d, 21]
        if dabs[d, 25] * dabs[d, 25] + dabs[d, 26] * dabs[d, 26] + dabs[d, 27] * dabs[d, 27] > 0:
            # Across the stroke: the tip's offset, turned to the way across it.
            side = a * (dabs[d, 7] * dabs[d, 25] + dabs[d, 8] * dabs[d, 26] + dabs[d, 9] * dabs[d, 27])
            side += b * dabs[d, 13] * (dabs[d, 10] * dabs[d, 25] + dabs[d, 11] * dabs[d, 26] + dabs[d, 12] * dabs[d, 27])
            mix = min(max(np.float32(0.5) + np.float32(0.5) * side, np.float32(0)), np.float32(1))
        marks[slot, 0] += (mix - marks[slot, 0]) * share
        for k in range(3):
            marks[slot, 1 + k] += (dabs[d, 22 + k] - marks[slot, 1 + k]) * share
    return True


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
)
def rich_balls(
    dabs, low, cell, dims, start, slot, xyz, normal, allowed, spacing, square, z_first, z_last,
    tips, grain, grain_depth, grain_size, grain_fixed, reach, build, coverage, marks, dirty,
):  # fmt: skip
    """Raise coverage of samples that dabs reach, in the grid's layers z_first … z_last, dab after dab.

    dabs : (n, 31), see path.RICH_COLUMNS; tips : (k, side, side) weights; grain : (side, side), or (1, 1) with depth 0
    reach : radii a dab can reach; marks : (slots, 4) what the stroke remembers of colours, or (0, 4)
    """
    zero, scale = np.float32(0), np.float32(1 / 127)
    for d in range(len(dabs)):
        cx, cy, cz, r = dabs[d, 0], dabs[d, 1], dabs[d, 2], dabs[d, 3]
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        dabs[d, 3] = r = max(r, np.float32(0.6) * spacing)
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
                for j in range(start[row + x0], start[row + x1 + 1]):
                    dx, dy, dz = xyz[0, j] - cx, xyz[1, j] - cy, xyz[2, j] - cz
                    if dx * dx + dy * dy + dz * dz >= far * far:
                        continue
                    s = slot[j]
                    if len(allowed) and allowed[s] == 0:
                        continue
                    nx, ny, nz = np.float32(normal[0, j]) * scale, np.float32(normal[1, j]) * scale, np.float32(normal[2, j]) * scale
                    weight, a, b = _weigh(dabs, d, dx, dy, dz, nx, ny, nz, spacing, tips)
                    if weight <= zero:
                        continue
                    if grain_depth > zero:
                        along, across = dabs[d, 28] + a * r, b * r
                        weight *= _grained(grain, grain_depth, grain_size, grain_fixed, xyz[0, j], xyz[1, j], xyz[2, j], nx, ny, nz, along, across)
                    if _lay(dabs, d, weight, a, b, s, build, coverage, marks):
                        local = s & 65535
                        dirty[s >> 16, (((local >> 12) << 4) | ((local & 255) >> 4)) if square else local >> 8] = 1


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
        dabs[d, 3] = r = max(r, np.float32(0.75))
        far = r * reach
        for y in range(max(int(np.floor(cy - far)), 0), min(int(np.floor(cy + far)), side - 1) + 1):
            for x in range(max(int(np.floor(cx - far)), 0), min(int(np.floor(cx + far)), side - 1) + 1):
                dx, dy = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
                s = ((y >> 8) * chunks + (x >> 8)) * CHUNK + ((y & 255) << 8) + (x & 255)
                if dx * dx + dy * dy >= far * far or owner[s] < 0 or (len(allowed) and allowed[s] == 0):
                    continue
                weight, a, b = _weigh(dabs, d, dx, dy, zero, zero, zero, one, one, tips)
                if weight <= zero:
                    continue
                if grain_depth > zero:
                    gx, gy = np.float32(x), np.float32(y)
                    weight *= _grained(grain, grain_depth, grain_size, grain_fixed, gx, gy, zero, zero, zero, one, dabs[d, 28] + a * r, b * r)
                if _lay(dabs, d, weight, a, b, s, build, coverage, marks):
                    dirty[s >> 16, ((y & 255) >> 4) * 16 + ((x & 255) >> 4)] = 1


@kernel(numba.void(i32[::1], i32[::1], i32, f32[:, ::1], u16[::1], u16[::1], numba.boolean, u16[:, ::1]), late=True)
def mixed_codes(starts, counts, chunk, marks, first, second, colour, out):
    """Codes that a stroke of many colours lays in a chunk: from `first` to `second` by the mark of mixing, colours then turned.

    marks : (slots, 4) mixing, hue (turns), saturation and value (shares); out : (components, 65536) uint16
    """
    full, half = np.float32(65535), np.float32(0.5)
    comps = len(first)
    values = np.empty(3, np.float32)
    for run in range(len(starts)):
        for i in range(starts[run], starts[run] + counts[run]):
            s = chunk * CHUNK + i
            for k in range(comps):
                values[k] = np.float32(first[k]) + (np.float32(second[k]) - np.float32(first[k])) * marks[s, 0]
            if colour and comps == 3 and (marks[s, 1] != 0 or marks[s, 2] != 0 or marks[s, 3] != 0):
                r, g, b = turn_hsv(values[0] / full, values[1] / full, values[2] / full, marks[s, 1], marks[s, 2], marks[s, 3])
                values[0], values[1], values[2] = r * full, g * full, b * full
            for k in range(comps):
                out[k, i] = np.uint16(min(max(values[k], np.float32(0)), full) + half)


@kernel(numba.void(i32[::1], i32[::1], f32[::1], u16[::1], f32[::1]), late=True)
def confined(starts, counts, coverage, weights, out):
    """Coverage of a chunk times what a confinement lets through (uint16)."""
    for run in range(len(starts)):
        for i in range(starts[run], starts[run] + counts[run]):
            out[i] = coverage[i] * (np.float32(weights[i]) * np.float32(1 / 65535))
