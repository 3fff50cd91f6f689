"""Loops of tools that read the surface: which samples are new, which chunks lie near, and how tone changes a colour."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.kernels import kernel, u16_at

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
CHUNK = 65536


@kernel(numba.void(i32[::1], f32[:, ::1], f32, f32[::1], numba.float64, i32[::1], i32[::1], i32[::1], u8[::1], u8[::1]), late=True)
def chunks_near(slots, position, reach, low, cell, dims, start, slot, seen, marks):
    """Mark the chunks of samples in cells within `reach` of given ones. seen : (cells,) cells that need no look, or have had one."""
    lo, hi = np.empty(3, np.int64), np.empty(3, np.int64)
    for at in range(len(slots)):
        for k in range(3):
            p = position[slots[at], k] - low[k]
            lo[k] = min(max(int(np.floor((p - reach) / cell)), 0), dims[k] - 1)
            hi[k] = min(max(int(np.floor((p + reach) / cell)), 0), dims[k] - 1)
        for z in range(lo[2], hi[2] + 1):
            for y in range(lo[1], hi[1] + 1):
                row = (z * dims[1] + y) * dims[0]
                for c in range(row + lo[0], row + hi[0] + 1):
                    if seen[c] == 0:
                        seen[c] = 1
                        for j in range(start[c], start[c + 1]):
                            marks[slot[j] >> 16] = 1


@kernel(i64(i32[::1], i32[::1], u8[::1], i32[::1], numba.boolean, i32, i32[::1]), late=True)
def new_slots(starts, counts, tiles, face, square, chunk, out):
    """Covered samples of a chunk's runs that lie in marked tiles, as slots; returns how many."""
    n = 0
    for run in range(len(starts)):
        for local in range(starts[run], starts[run] + counts[run]):
            tile = ((local >> 12) << 4) | ((local & 255) >> 4) if square else local >> 8
            if tiles[tile] and face[chunk * CHUNK + local] >= 0:
                out[n] = chunk * CHUNK + local
                n += 1
    return n


@kernel(i64(u8[::1], i32[::1], numba.boolean, i32, i32[::1]), late=True)
def few_slots(tiles, face, square, chunk, out):
    """One covered sample for each eight by eight texels (64 in a row) of a chunk's marked tiles; returns how many."""
    n = 0
    for tile in range(256):
        if tiles[tile] == 0:
            continue
        for block in range(4):
            found = False
            for i in range(64):
                local = tile * 256 + block * 64 + i
                if square:
                    y = (tile >> 4) * 16 + (block >> 1) * 8 + (i >> 3)
                    local = y * 256 + (tile & 15) * 16 + (block & 1) * 8 + (i & 7)
                if not found and face[chunk * CHUNK + local] >= 0:
                    out[n] = chunk * CHUNK + local
                    n += 1
                    found = True
    return n


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
