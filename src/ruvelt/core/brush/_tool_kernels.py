"""Loops of tools that read the surface: which chunks lie near, and what neighbours come to."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.kernels import kernel, u16_at

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
CHUNK = 65536
#: Neighbours that a softened sample takes the mean of, at most.
MOST = 96


@kernel(numba.void(f32[:, ::1], f32[::1], f32[::1], numba.float64, i32[::1], i32[::1], i32[::1], u8[::1]), late=True)
def chunks_near(centres, reach, low, cell, dims, start, slot, marks):
    """Mark the chunks of samples in cells that balls (centres (n, 3), reach (n,)) touch."""
    lo, hi = np.empty(3, np.int64), np.empty(3, np.int64)
    for d in range(len(centres)):
        for k in range(3):
            lo[k] = min(max(int(np.floor((centres[d, k] - reach[d] - low[k]) / cell)), 0), dims[k] - 1)
            hi[k] = min(max(int(np.floor((centres[d, k] + reach[d] - low[k]) / cell)), 0), dims[k] - 1)
        for z in range(lo[2], hi[2] + 1):
            for y in range(lo[1], hi[1] + 1):
                row = (z * dims[1] + y) * dims[0]
                for j in range(start[row + lo[0]], start[row + hi[0] + 1]):
                    marks[slot[j] >> 16] = 1


@kernel(
    numba.void(
        i32[::1],
        f32[:, ::1],
        f32[:, ::1],
        f32,
        f32[::1],
        numba.float64,
        i32[::1],
        i32[::1],
        i32[::1],
        f32[:, ::1],
        numba.int8[:, ::1],
        f32[::1],
        i64[::1],
        i32,
        u16[:, ::1],
    ),
    late=True,
)
def neighbour_means(slots, position, normal, radius, low, cell, dims, start, slot, xyz, normals, areas, pictures, comps, out):
    """Weighted mean of a picture over the surface around samples, so that seams do not show.

    pictures : (chunks,) addresses of (comps, 65536) uint16, 0 where not at hand; normals : (3, n) int8; areas : (n,) surface of
    each sample; out : (comps, 65536) of one chunk
    """
    r_sq = radius * radius
    sums = np.empty(4, np.float32)
    for at in range(len(slots)):
        s = slots[at]
        px, py, pz = position[s, 0], position[s, 1], position[s, 2]
        nx, ny, nz = normal[s, 0], normal[s, 1], normal[s, 2]
        x0 = min(max(int(np.floor((px - radius - low[0]) / cell)), 0), dims[0] - 1)
        x1 = min(max(int(np.floor((px + radius - low[0]) / cell)), 0), dims[0] - 1)
        y0 = min(max(int(np.floor((py - radius - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((py + radius - low[1]) / cell)), 0), dims[1] - 1)
        z0 = min(max(int(np.floor((pz - radius - low[2]) / cell)), 0), dims[2] - 1)
        z1 = min(max(int(np.floor((pz + radius - low[2]) / cell)), 0), dims[2] - 1)
        count = 0
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                count += start[row + x1 + 1] - start[row + x0]
        # Every step-th neighbour, begun at a place that differs between samples, so that no pattern shows.
        step = max(1, count // MOST)
        skip = (s * 7919) % step
        total = np.float32(0)
        sums[:] = 0
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                j = start[row + x0] + skip
                end = start[row + x1 + 1]
                while j < end:
                    dx, dy, dz = xyz[0, j] - px, xyz[1, j] - py, xyz[2, j] - pz
                    d_sq = dx * dx + dy * dy + dz * dz
                    if d_sq < r_sq and normals[0, j] * nx + normals[1, j] * ny + normals[2, j] * nz > 0:
                        picture = pictures[slot[j] >> 16]
                        if picture != 0:
                            w = (np.float32(1) - d_sq / r_sq) * areas[j]
                            codes = u16_at(picture, CHUNK * comps)
                            for k in range(comps):
                                sums[k] += w * np.float32(codes[k * CHUNK + (slot[j] & 65535)])
                            total += w
                    j += step
                skip = j - end
        own = u16_at(pictures[s >> 16], CHUNK * comps)
        for k in range(comps):
            out[k, s & 65535] = np.uint16(sums[k] / total + np.float32(0.5)) if total > 0 else own[k * CHUNK + (s & 65535)]


LIGHTEN, DARKEN, CONTRAST, SATURATE, DESATURATE, HUE, TINT = 0, 1, 2, 3, 4, 5, 6
ALL, SHADOWS, MIDTONES, HIGHLIGHTS = 0, 1, 2, 3


@kernel(numba.void(i32[::1], i64, i32, i32, i32, f32, f32, f32[::1], u16[:, ::1]), late=True)
def tone_values(slots, look, comps, change, span, amount, turns, colour, out):
    """Change the look of samples of one chunk as `target.Tone` tells. look : address of (comps, 65536) uint16 encoded,
    out : (comps or more, 65536); turns : of hue
    """
    u, full, half, one, zero = np.float32(1 / 65535), np.float32(65535), np.float32(0.5), np.float32(1), np.float32(0)
    codes = u16_at(look, CHUNK * comps)
    own = np.float32(0.2126) * colour[0] + np.float32(0.7152) * colour[1] + np.float32(0.0722) * colour[2]
    for at in range(len(slots)):
        i = slots[at] & 65535
        r = np.float32(codes[i]) * u
        g, b = (np.float32(codes[CHUNK + i]) * u, np.float32(codes[2 * CHUNK + i]) * u) if comps == 3 else (r, r)
        light = np.float32(0.2126) * r + np.float32(0.7152) * g + np.float32(0.0722) * b
        w = amount
        if span == SHADOWS:
            w *= (one - light) * (one - light)
        elif span == MIDTONES:
            w *= np.float32(4) * light * (one - light)
        elif span == HIGHLIGHTS:
            w *= light * light
        if change == LIGHTEN:
            r, g, b = r + (one - r) * w, g + (one - g) * w, b + (one - b) * w
        elif change == DARKEN:
            r, g, b = r - r * w, g - g * w, b - b * w
        elif change == CONTRAST:
            r, g, b = (r - half) * (one + w) + half, (g - half) * (one + w) + half, (b - half) * (one + w) + half
        elif change in (SATURATE, DESATURATE):
            gain = one + w if change == SATURATE else one - w
            r, g, b = light + (r - light) * gain, light + (g - light) * gain, light + (b - light) * gain
        elif change == HUE:
            r, g, b = turn_hsv(r, g, b, turns * w, zero, zero)
        else:
            lift = light / own if own > zero else zero
            r, g, b = r + (colour[0] * lift - r) * w, g + (colour[1] * lift - g) * w, b + (colour[2] * lift - b) * w
        out[0, i] = np.uint16(min(max(r, zero), one) * full + half)
        if comps == 3:
            out[1, i] = np.uint16(min(max(g, zero), one) * full + half)
            out[2, i] = np.uint16(min(max(b, zero), one) * full + half)
