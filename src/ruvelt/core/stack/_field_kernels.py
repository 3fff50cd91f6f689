"""Kernels of mask sources and fill contents: noise, spots, patterns, measures of the surface, pictures on it.

All take a chunk's (65536, 3) positions and normals, object space, and whether each sample is covered; what is not gets 0.
"""

# mypy: disable-error-code="no-untyped-def, arg-type, operator"
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core._value_kernels import quantised, smoothstep
from ruvelt.core.color._oklch_kernels import lab_of_light
from ruvelt.core.kernels import f32_scratch, inline, kernel

f32, f64, i32, i64, u32, u8, u16 = numba.float32, numba.float64, numba.int32, numba.int64, numba.uint32, numba.uint8, numba.uint16
yes = numba.boolean
GRADIENT, VALUE, CELLULAR, RIDGED = 0, 1, 2, 3
STRIPES, CHECKS, RINGS = 0, 1, 2


@inline
def _hash(x, y, z, seed):
    """32 well-mixed bits of a lattice place: the finisher of the public-domain MurmurHash3 over a sum of odd multiples."""
    # Products of uint32 are wider here: every step is cut to 32 bits.
    h = np.uint32(
        np.uint32(x) * np.uint32(0x8DA6B343) + np.uint32(y) * np.uint32(0xD8163841) + np.uint32(z) * np.uint32(0xCB1AB31F) + np.uint32(seed)
    )
    h = np.uint32((h ^ (h >> np.uint32(16))) * np.uint32(0x85EBCA6B))
    h = np.uint32((h ^ (h >> np.uint32(13))) * np.uint32(0xC2B2AE35))
    return np.uint32(h ^ (h >> np.uint32(16)))


@inline
def _pull(h, dx, dy, dz):
    """The slope at a lattice place, from its hash, times the way from it."""
    third = np.float32(1 / 511.5)
    one = np.float32(1)
    gx = np.float32(h & np.uint32(1023)) * third - one
    gy = np.float32((h >> np.uint32(10)) & np.uint32(1023)) * third - one
    gz = np.float32((h >> np.uint32(20)) & np.uint32(1023)) * third - one
    return gx * dx + gy * dy + gz * dz


@inline
def _ease(t):
    return t * t * t * (t * (t * np.float32(6) - np.float32(15)) + np.float32(10))


@inline
def _mix(a, b, t):
    return a + (b - a) * t


@inline
def _lattice_noise(basis, x, y, z, seed):
    """Gradient noise (K. Perlin, "Improving noise", 2002, with free slopes) or value noise, about −1 … 1."""
    fx, fy, fz = np.floor(x), np.floor(y), np.floor(z)
    ix, iy, iz = np.int32(fx), np.int32(fy), np.int32(fz)
    dx, dy, dz = x - fx, y - fy, z - fz
    u, v, w = _ease(dx), _ease(dy), _ease(dz)
    one = np.float32(1)
    h0, h1 = _hash(ix, iy, iz, seed), _hash(ix + 1, iy, iz, seed)
    h2, h3 = _hash(ix, iy + 1, iz, seed), _hash(ix + 1, iy + 1, iz, seed)
    h4, h5 = _hash(ix, iy, iz + 1, seed), _hash(ix + 1, iy, iz + 1, seed)
    h6, h7 = _hash(ix, iy + 1, iz + 1, seed), _hash(ix + 1, iy + 1, iz + 1, seed)
    if basis == VALUE:
        scale = np.float32(2.0 / 4294967295.0)
        low = _mix(_mix(h0 * scale, h1 * scale, u), _mix(h2 * scale, h3 * scale, u), v)
        high = _mix(_mix(h4 * scale, h5 * scale, u), _mix(h6 * scale, h7 * scale, u), v)
        return np.float32(_mix(low, high, w) - one)
    low = _mix(
        _mix(_pull(h0, dx, dy, dz), _pull(h1, dx - one, dy, dz), u), _mix(_pull(h2, dx, dy - one, dz), _pull(h3, dx - one, dy - one, dz), u), v
    )
    high = _mix(
        _mix(_pull(h4, dx, dy, dz - one), _pull(h5, dx - one, dy, dz - one), u),
        _mix(_pull(h6, dx, dy - one, dz - one), _pull(h7, dx - one, dy - one, dz - one), u),
        v,
    )
    return np.float32(1.35) * _mix(low, high, w)


@inline
def _cell_noise(x, y, z, seed):
    """Distance to the nearest of one point a cell (S. Worley, "A cellular texture basis function", 1996), 0 … 1, as 1 − 2 d."""
    ix, iy, iz = np.int32(np.floor(x)), np.int32(np.floor(y)), np.int32(np.floor(z))
    best = np.float32(8)
    third = np.float32(1 / 1023.0)
    for c in range(-1, 2):
        for b in range(-1, 2):
            for a in range(-1, 2):
                h = _hash(ix + a, iy + b, iz + c, seed)
                dx = np.float32(ix + a) + np.float32(h & np.uint32(1023)) * third - x
                dy = np.float32(iy + b) + np.float32((h >> np.uint32(10)) & np.uint32(1023)) * third - y
                dz = np.float32(iz + c) + np.float32((h >> np.uint32(20)) & np.uint32(1023)) * third - z
                best = min(best, dx * dx + dy * dy + dz * dz)
    return np.float32(1) - np.float32(2) * min(np.sqrt(best), np.float32(1))


#: What is left of a basis in the mean over a square of r cells is about exp(−k r²); fitted to means over squares, within 0.03 up to one cell.
LOSS = (np.float32(0.55), np.float32(0.285), np.float32(0.72), np.float32(1.15))
#: The mean of each basis, to which it fades.
MEAN = (np.float32(0), np.float32(0), np.float32(-0.042), np.float32(0.59))
#: How far each basis is spread about its mean, squared.
SPREAD = (np.float32(0.0666), np.float32(0.1587), np.float32(0.118), np.float32(0.095))
#: Below this an octave is not worked out any more.
LOST = np.float32(0.01)
#: Of each octave's lattice: (octaves, 3, 3) turns, (octaves, 3) shifts and (octaves,) seeds.
LATTICES = numba.types.Tuple((f32[:, :, ::1], f32[:, ::1], u32[::1]))


@kernel(
    numba.void(f32[:, ::1], f32[:, ::1], yes[::1], i64, f32, f32[::1], LATTICES, f32[::1], f32[::1], f32[::1], f32[::1]),
    late=True,
)
def noise_values(positions, normals, covered, basis, roughness, scale, lattices, spacing, left, out, loose):
    """Octaves of noise, each `roughness` of the strength of the one before, over their sum: about −1 … 1, as samples of a size see it.

    scale : (3,) cells an object unit; lattices : as `noise.lattices` makes them
    spacing : (n,) side of the square that each sample stands for, object units: octaves fade to their mean as it nears their cells
    loose : (n,) variance of what has faded: how far noise goes up and down inside a sample; left : (n,) to work in
    """
    turns, shifts, seeds = lattices
    one, half = np.float32(1), np.float32(0.5)
    octaves = len(turns)
    whole, part = np.float32(0), one
    for _ in range(octaves):
        whole += part
        part *= roughness
    loss = LOSS[0] if basis == GRADIENT else (LOSS[1] if basis == VALUE else (LOSS[2] if basis == CELLULAR else LOSS[3]))
    mean = MEAN[0] if basis == GRADIENT else (MEAN[1] if basis == VALUE else (MEAN[2] if basis == CELLULAR else MEAN[3]))
    spread = SPREAD[0] if basis == GRADIENT else (SPREAD[1] if basis == VALUE else (SPREAD[2] if basis == CELLULAR else SPREAD[3]))
    zero, two = np.float32(0), np.float32(2)
    all_axes = scale[0] * scale[0] + scale[1] * scale[1] + scale[2] * scale[2]
    most = zero
    for i in range(np.uint64(len(out))):
        # Cells that the sample's square spans, squared, in the mean of its two sides.
        nx, ny, nz = normals[i, 0] * scale[0], normals[i, 1] * scale[1], normals[i, 2] * scale[2]
        spans = half * spacing[i] * spacing[i] * max(all_axes - nx * nx - ny * ny - nz * nz, zero)
        left[i] = np.exp(-loss * spans)
        out[i] = loose[i] = zero
        most = max(most, left[i] if covered[i] else zero)
    part = one / whole
    for o in range(octaves):
        a, b, c, sx = turns[o, 0, 0] * scale[0], turns[o, 0, 1] * scale[1], turns[o, 0, 2] * scale[2], shifts[o, 0]
        d, e, f, sy = turns[o, 1, 0] * scale[0], turns[o, 1, 1] * scale[1], turns[o, 1, 2] * scale[2], shifts[o, 1]
        g, h, k, sz = turns[o, 2, 0] * scale[0], turns[o, 2, 1] * scale[1], turns[o, 2, 2] * scale[2], shifts[o, 2]
        seed = seeds[o]
        gone = most < LOST
        for i in range(np.uint64(len(out))):
            stays = left[i]
            v = zero
            if not gone:
                x, y, z = positions[i, 0], positions[i, 1], positions[i, 2]
                u, w, t = a * x + b * y + c * z + sx, d * x + e * y + f * z + sy, g * x + h * y + k * z + sz
                if basis == CELLULAR:
                    v = _cell_noise(u, w, t, seed) if covered[i] else zero
                elif basis == RIDGED:
                    v = one - two * min(abs(_lattice_noise(GRADIENT, u, w, t, seed)), one)
                else:
                    v = _lattice_noise(basis, u, w, t, seed)
                v -= mean
            out[i] += part * (mean + v * stays)
            loose[i] += part * part * spread * (one - stays * stays)
            # Cells half as large lose four times the exponent.
            left[i] = stays * stays * stays * stays
        part *= roughness
        most = most * most * most * most
    for i in range(np.uint64(len(out))):
        if not covered[i]:
            out[i] = loose[i] = zero


#: Repeats that a sample may span before places inside it are looked at one by one, and most of those along a side.
CLOSE, SIDES = np.float32(0.07), 4


@inline
def _sides(span, most):
    """How many places along a side of a sample's square are looked at. span : of the square, repeats"""
    return min(max(np.int64(np.ceil(span / CLOSE)), 1), most)


@inline
def _lie_along(nx, ny, nz, first, second):
    """Two unit directions along the surface, (3,) each, the first as close to x, or where that stands out of it to y, as can be."""
    one = np.float32(1)
    ex, ey = (one, np.float32(0)) if abs(nx) < np.float32(0.9) else (np.float32(0), one)
    out = ex * nx + ey * ny
    x, y, z = ex - nx * out, ey - ny * out, -nz * out
    inverse = one / max(np.sqrt(x * x + y * y + z * z), np.float32(1e-6))
    first[0], first[1], first[2] = x * inverse, y * inverse, z * inverse
    second[0] = ny * first[2] - nz * first[1]
    second[1] = nz * first[0] - nx * first[2]
    second[2] = nx * first[1] - ny * first[0]


@inline
def _spot(x, y, z, span, cover, variation, hardness, seed):
    """What spots there are at a place, in cells, over `span` about it."""
    third, one, zero, half = np.float32(1 / 1023.0), np.float32(1), np.float32(0), np.float32(0.5)
    ix, iy, iz = np.int32(np.floor(x)), np.int32(np.floor(y)), np.int32(np.floor(z))
    best = zero
    for c in range(-1, 2):
        for b in range(-1, 2):
            for a in range(-1, 2):
                h = _hash(ix + a, iy + b, iz + c, np.uint32(seed))
                more = _hash(ix + a, iy + b, iz + c, np.uint32(seed) ^ np.uint32(0x5BD1E995))
                if np.float32(more & np.uint32(65535)) * np.float32(1 / 65535) >= cover:
                    continue
                radius = max(half * (one - variation * np.float32(more >> np.uint32(16)) * np.float32(1 / 65535)), np.float32(1e-3))
                dx = np.float32(ix + a) + np.float32(h & np.uint32(1023)) * third - x
                dy = np.float32(iy + b) + np.float32((h >> np.uint32(10)) & np.uint32(1023)) * third - y
                dz = np.float32(iz + c) + np.float32((h >> np.uint32(20)) & np.uint32(1023)) * third - z
                d = np.sqrt(dx * dx + dy * dy + dz * dz) / radius
                ramp = max(one - hardness, max(span / radius, np.float32(0.02)))
                t = min(max((d - half * (one + hardness)) / ramp + half, zero), one)
                # A spot smaller than the sample covers a share of it.
                small = min(radius / max(span, np.float32(1e-9)), one)
                best = max(best, (one - smoothstep(t)) * small)
    return best


@kernel(numba.void(f32[:, ::1], f32[:, ::1], yes[::1], f32, f32, f32, f32, i64, f32[::1], f32, u16[::1]), late=True)
def spots_chunk(positions, normals, covered, scale, cover, variation, hardness, seed, spacing, mean, out):
    """Balls around one point in a share of the cells of a lattice, of up to half a cell. scale : cells an object unit

    spacing : (n,) side of the square that each sample stands for: no edge is narrower, and spots smaller than it fade to their `mean`
    """
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    first, second = f32_scratch(3), f32_scratch(3)
    for i in range(len(out)):
        if not covered[i]:
            out[i] = 0
            continue
        span = spacing[i] * scale
        fade = min(max(span - one, zero), one)
        sides = _sides(span, SIDES) if fade < one else np.int64(1)
        share, inner = one / np.float32(sides * sides), span / np.float32(sides)
        x, y, z = positions[i, 0] * scale, positions[i, 1] * scale, positions[i, 2] * scale
        _lie_along(normals[i, 0], normals[i, 1], normals[i, 2], first, second)
        best = zero
        for u in range(sides):
            for v in range(sides):
                p, q = (np.float32(u) + half) * inner - half * span, (np.float32(v) + half) * inner - half * span
                at_x, at_y, at_z = x + p * first[0] + q * second[0], y + p * first[1] + q * second[1], z + p * first[2] + q * second[2]
                best += share * _spot(at_x, at_y, at_z, inner, cover, variation, hardness, seed)
        out[i] = quantised(best + (mean - best) * fade)


@inline
def _bar(x, span, low, width):
    """The share of x − span/2 … x + span/2 that lies in low … low + width of the repeats of length 1."""
    begin, end = x - np.float32(0.5) * span, x + np.float32(0.5) * span
    first = np.floor(begin)
    begin, end = begin - first, end - first
    whole = np.floor(end)
    zero = np.float32(0)
    rest = min(max(end - whole - low, zero), width) + whole * width
    return (rest - min(max(begin - low, zero), width)) / span


@inline
def _in_cells(x, span, width, odd):
    """The same for cells of half a repeat about 0, or about a half for `odd`, shrunk to `width`."""
    middle = np.float32(0.75) if odd else np.float32(0.25)
    return _bar(x + np.float32(0.25), span, middle - np.float32(0.5) * width, width)


@inline
def _across(nx, ny, nz, wx, wy, wz):
    """How much of a direction lies along the surface: the sine of its angle with the normal."""
    cosine = nx * wx + ny * wy + nz * wz
    return np.sqrt(max(np.float32(1) - cosine * cosine, np.float32(0)))


@kernel(numba.void(f32[:, ::1], f32[:, ::1], yes[::1], i64, f32[:, ::1], f32, f32, f32, f32[::1], u16[::1]), late=True)
def weave_chunk(positions, normals, covered, form, frame, scale, share, softness, spacing, out):
    """Regular patterns along a frame (rows are its axes), as means over what each sample stands for: they fade to their mean, never to others.

    scale : repeats an object unit; share : of them that is bright; softness : of their edges, repeats; spacing : (n,) sides of samples' squares
    """
    one, half, least = np.float32(1), np.float32(0.5), np.float32(1e-4)
    # Cells of the rarer kind shrink, so that the share is that of the surface.
    width = half * np.sqrt(np.float32(2) * min(share, one - share))
    first, second = f32_scratch(3), f32_scratch(3)
    for i in range(len(out)):
        if not covered[i]:
            out[i] = 0
            continue
        step = spacing[i] * scale
        sides = _sides(step, 2 * SIDES)
        nx, ny, nz = normals[i, 0], normals[i, 1], normals[i, 2]
        a = (positions[i, 0] * frame[0, 0] + positions[i, 1] * frame[0, 1] + positions[i, 2] * frame[0, 2]) * scale
        b = (positions[i, 0] * frame[1, 0] + positions[i, 1] * frame[1, 1] + positions[i, 2] * frame[1, 2]) * scale
        c = (positions[i, 0] * frame[2, 0] + positions[i, 1] * frame[2, 1] + positions[i, 2] * frame[2, 2]) * scale
        wx, wy, wz = frame[0, 0], frame[0, 1], frame[0, 2]
        if form == RINGS:
            a = np.sqrt(b * b + c * c)
            inverse = one / max(a, least)
            b, c = b * inverse, c * inverse
            wx, wy, wz = b * frame[1, 0] + c * frame[2, 0], b * frame[1, 1] + c * frame[2, 1], b * frame[1, 2] + c * frame[2, 2]
        span = step * _across(nx, ny, nz, wx, wy, wz)
        span = max(np.sqrt(span * span + softness * softness), least)
        if form != CHECKS:
            out[i] = quantised(_bar(a, span, half - half * share, share))
            continue
        # Where axes run across each other a mean over all is not the product of means: it is taken over parts of the sample.
        _lie_along(nx, ny, nz, first, second)
        inner = step / np.float32(sides)
        span = max(np.sqrt((inner * _across(nx, ny, nz, wx, wy, wz)) ** 2 + softness * softness), least)
        other = max(np.sqrt((inner * _across(nx, ny, nz, frame[1, 0], frame[1, 1], frame[1, 2])) ** 2 + softness * softness), least)
        third = max(np.sqrt((inner * _across(nx, ny, nz, frame[2, 0], frame[2, 1], frame[2, 2])) ** 2 + softness * softness), least)
        rare = np.float32(0)
        for part in range(sides * sides):
            p, q = (np.float32(part % sides) + half) * inner - half * step, (np.float32(part // sides) + half) * inner - half * step
            x, y, z = p * first[0] + q * second[0], p * first[1] + q * second[1], p * first[2] + q * second[2]
            at_a = a + x * frame[0, 0] + y * frame[0, 1] + z * frame[0, 2]
            at_b = b + x * frame[1, 0] + y * frame[1, 1] + z * frame[1, 2]
            at_c = c + x * frame[2, 0] + y * frame[2, 1] + z * frame[2, 2]
            for k in range(8):
                odd = ((k & 1) + ((k >> 1) & 1) + (k >> 2)) & 1
                # Cells with an odd sum are bright.
                if (odd == 1) == (share < half):
                    in_both = _in_cells(at_a, span, width, k & 1) * _in_cells(at_b, other, width, (k >> 1) & 1)
                    rare += in_both * _in_cells(at_c, third, width, k >> 2)
        rare /= np.float32(sides * sides)
        out[i] = quantised(rare if share < half else one - rare)


@inline
def _ramp(x, low, high, softness):
    t = (x - low) / max(high - low, np.float32(1e-5))
    t = min(max(t, np.float32(0)), np.float32(1))
    return t + (smoothstep(t) - t) * softness


@kernel(numba.void(f32[:, ::1], numba.boolean[::1], f32[::1], f32, f32, f32, f32, f32, u16[::1]), late=True)
def along_chunk(vectors, covered, along, origin, scale, low, high, softness, out):
    """Ramp of (vector · along − origin) · scale: positions along a direction, or cosines of normals."""
    for i in range(len(out)):
        if not covered[i]:
            out[i] = 0
            continue
        x = (vectors[i, 0] * along[0] + vectors[i, 1] * along[1] + vectors[i, 2] * along[2] - origin) * scale
        out[i] = quantised(_ramp(x, low, high, softness))


@kernel(numba.void(f32[:, ::1], numba.boolean[::1], f32[::1], f32, f32, u16[::1]), late=True)
def ball_chunk(positions, covered, centre, radius, softness, out):
    """0 at the centre, 1 at the radius and beyond."""
    for i in range(len(out)):
        if not covered[i]:
            out[i] = 0
            continue
        dx, dy, dz = positions[i, 0] - centre[0], positions[i, 1] - centre[1], positions[i, 2] - centre[2]
        out[i] = quantised(_ramp(np.sqrt(dx * dx + dy * dy + dz * dz), np.float32(0), radius, softness))


@kernel(numba.void(u16[::1], i64, f32, f32, f32, u16[::1]), late=True)
def ramp_values(values_u16, fold, low, high, softness, out):
    """Ramp of a mesh map. fold : 0 as it is, 1 one minus it, 2 signed about the middle, 3 that turned round, 4 its size."""
    u, mid, two = np.float32(1 / 65535), np.float32(32768 / 65535), np.float32(2)
    for i in range(len(out)):
        x = np.float32(values_u16[i]) * u
        if fold == 1:
            x = np.float32(1) - x
        elif fold == 2:
            x = (x - mid) * two
        elif fold == 3:
            x = (mid - x) * two
        elif fold == 4:
            x = abs(x - mid) * two
        out[i] = quantised(_ramp(x, low, high, softness))


@kernel(numba.void(u16[:, ::1], f32[::1], f32[:, ::1], f32, f32, u16[::1]), late=True)
def near_colours(values_u16, decode, colours, tolerance, softness, out):
    """1 within `tolerance` of any of the (n, 3) OKLab colours, falling to 0 over `softness`. codes : (3 or 1, 65536) sRGB-encoded."""
    comps = len(values_u16)
    last_r, last_g, last_b = np.uint16(0), np.uint16(0), np.uint16(0)
    last = np.float32(-1)
    for i in range(len(out)):
        cr, cg, cb = values_u16[0, i], values_u16[1 % comps, i], values_u16[2 % comps, i]
        # Neighbours often have one colour.
        if last < 0 or cr != last_r or cg != last_g or cb != last_b:
            l, a, b = lab_of_light(decode[cr], decode[cg], decode[cb])
            best = np.float32(1e9)
            for k in range(len(colours)):
                dl, da, db = l - colours[k, 0], a - colours[k, 1], b - colours[k, 2]
                best = min(best, dl * dl + da * da + db * db)
            t = (np.sqrt(best) - tolerance) / max(softness, np.float32(1e-4))
            last = np.float32(1) - min(max(t, np.float32(0)), np.float32(1))
            last_r, last_g, last_b = cr, cg, cb
        out[i] = quantised(last)


@inline
def _texel(image, x, y, k, repeat):
    h, w = image.shape[0], image.shape[1]
    if repeat:
        x, y = x % w, y % h
    else:
        x, y = min(max(x, 0), w - 1), min(max(y, 0), h - 1)
    return np.float32(image[y, x, k])


@inline
def _look(image, u, v, repeat, colour):
    """Add a bilinear look at (u, v), 0–1 over the picture with v down, to colour; nothing outside a picture that does not repeat."""
    h, w = image.shape[0], image.shape[1]
    if not repeat and (u < 0 or v < 0 or u > 1 or v > 1):
        return False
    x, y = u * np.float32(w) - np.float32(0.5), v * np.float32(h) - np.float32(0.5)
    ix, iy = np.int64(np.floor(x)), np.int64(np.floor(y))
    fx, fy = x - np.float32(ix), y - np.float32(iy)
    for k in range(4):
        top = _mix(_texel(image, ix, iy, k, repeat), _texel(image, ix + 1, iy, k, repeat), fx)
        low = _mix(_texel(image, ix, iy + 1, k, repeat), _texel(image, ix + 1, iy + 1, k, repeat), fx)
        colour[k] = _mix(top, low, fy)
    return True


class PictureFrame(NamedTuple):
    """How a picture lies: mode : 0 by UV, 1 three-way, 2 planar; sharpness : of the borders between three ways

    axes : (4, 3) centre, right, up and direction; turn : (3,) cosine and sine, each times repeats a unit, and width over height; shift : (2,)
    """

    mode: int
    axes: NDArray[np.float32]
    turn: NDArray[np.float32]
    shift: NDArray[np.float32]
    sharpness: float
    repeat: bool
    through: bool


FRAME = numba.types.NamedTuple((i64, f32[:, ::1], f32[::1], f32[::1], numba.float64, yes, yes), PictureFrame)


@kernel(numba.void(f32[:, ::1], f32[:, ::1], yes[::1], i64, i64, i64, u16[:, :, ::1], FRAME, u16[:, ::1]), late=True)
def picture_chunk(positions, normals, covered, corner_x, corner_y, side, image, laid, out):
    """A picture on the surface. image : (h, w, 4) uint16, top row first; out : (4, 65536) uint16, alpha last.

    corner_x, corner_y : the chunk's first texel on a sheet of `side`, where a picture lies by UV
    """
    mode, frame, turn, shift, sharpness, repeat, through = laid
    sharpness = np.float32(sharpness)
    colour, total = f32_scratch(4), f32_scratch(4)
    one, zero, half = np.float32(1), np.float32(0), np.float32(0.5)
    for i in range(len(covered)):
        for k in range(4):
            out[k, i] = 0
            total[k] = zero
        if not covered[i]:
            continue
        weight = zero
        for axis in range(3 if mode == 1 else 1):
            share = one
            if mode == 0:
                a = (np.float32(corner_x + (i & 255)) + half) / np.float32(side) - half
                b = half - (np.float32(corner_y + (i >> 8)) + half) / np.float32(side)
            elif mode == 1:
                n = normals[i, axis]
                share = abs(n) ** sharpness
                if share < np.float32(1e-4):
                    continue
                p = positions[i, (axis + 1) % 3] - frame[0, (axis + 1) % 3]
                q = positions[i, (axis + 2) % 3] - frame[0, (axis + 2) % 3]
                # Up stays up on the four sides, and pictures are not mirrored on the far ones.
                if axis == 0:
                    a, b = -q, p
                elif axis == 1:
                    a, b = q, -p
                else:
                    a, b = p, q
                if n < 0:
                    a = -a
            else:
                if not through and normals[i, 0] * frame[3, 0] + normals[i, 1] * frame[3, 1] + normals[i, 2] * frame[3, 2] <= zero:
                    continue
                dx, dy, dz = positions[i, 0] - frame[0, 0], positions[i, 1] - frame[0, 1], positions[i, 2] - frame[0, 2]
                a = dx * frame[1, 0] + dy * frame[1, 1] + dz * frame[1, 2]
                b = dx * frame[2, 0] + dy * frame[2, 1] + dz * frame[2, 2]
            u = a * turn[0] + b * turn[1] + half + shift[0]
            v = half - (b * turn[0] - a * turn[1]) * turn[2] + shift[1]
            if _look(image, u, v, repeat, colour):
                for k in range(4):
                    total[k] += share * colour[k]
            weight += share
        if weight > zero:
            for k in range(4):
                out[k, i] = np.uint16(min(max(total[k] / weight, zero), np.float32(65535)) + half)


@kernel(numba.void(u16[::1], f32[:, ::1], u16[:, ::1]), late=True)
def ramp_colours(values_u16, table, out):
    """Values of a ramp at each code. table : (components, 4097) float32 codes; out : (components + 1, 65536), alpha full."""
    last = len(out) - 1
    for i in range(len(values_u16)):
        x = np.float32(values_u16[i]) * np.float32(4096 / 65535)
        at = min(np.int64(x), 4095)
        f = x - np.float32(at)
        for k in range(last):
            out[k, i] = np.uint16(table[k, at] + (table[k, at + 1] - table[k, at]) * f + np.float32(0.5))
        out[last, i] = 65535
