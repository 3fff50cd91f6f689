"""Loops of tools that read the surface: how tone changes a colour, and colours times coverage."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.kernels import kernel, u16_at

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
CHUNK = 65536


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


@kernel(numba.void(i64, i32, u16[:, ::1]), late=True)
def multiply_alpha(plane, comps, out):
    """Colours times coverage of a whole chunk. plane : address of (comps + 1, 65536) uint16, alpha last; out : the same, alpha as it was."""
    codes = u16_at(plane, CHUNK * (comps + 1))
    top = np.uint64(comps * CHUNK)
    for i in range(np.uint64(CHUNK)):
        out[comps, i] = codes[top + i]
    for k in range(comps):
        row = np.uint64(k * CHUNK)
        for i in range(np.uint64(CHUNK)):
            out[k, i] = np.uint16(np.float32(codes[row + i]) * (np.float32(codes[top + i]) * np.float32(1 / 65535)) + np.float32(0.5))
