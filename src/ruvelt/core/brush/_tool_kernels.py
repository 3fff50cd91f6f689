"""Loops of tools that read the surface: how tone changes a colour, and colours times coverage."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.kernels import f32_room, kernel, u16_at

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
CHUNK = 65536


LIGHTEN, DARKEN, CONTRAST, SATURATE, DESATURATE, HUE, TINT = 0, 1, 2, 3, 4, 5, 6
ALL, SHADOWS, MIDTONES, HIGHLIGHTS = 0, 1, 2, 3


#: Samples changed at once.
BLOCK = 256


@kernel(numba.void(i32[::1], i32[::1], i64, i32, numba.boolean, i32, i32, f32, f32, f32[::1], u16[:, ::1]), late=True)
def tone_runs(starts, counts, look, comps, own, change, span, amount, turns, colour, out):
    """Change the look of runs of a chunk as `target.Tone` tells. look : address of (comps, 65536) uint16 encoded, with `own` alpha after them,
    which stays; out : the same; turns : of hue
    """
    u, full, half, one, zero, four = np.float32(1 / 65535), np.float32(65535), np.float32(0.5), np.float32(1), np.float32(0), np.float32(4)
    codes = u16_at(look, CHUNK * (comps + 1))
    rgb, light, weight = f32_room((3, BLOCK)), f32_room(BLOCK), f32_room(BLOCK)
    its_own = np.float32(0.2126) * colour[0] + np.float32(0.7152) * colour[1] + np.float32(0.0722) * colour[2]
    for run in range(len(starts)):
        for begin in range(starts[run], starts[run] + counts[run], BLOCK):
            first, n = np.uint64(begin), np.uint64(min(BLOCK, starts[run] + counts[run] - begin))
            for k in range(3):
                row = np.uint64((k if comps == 3 else 0) * CHUNK) + first
                for i in range(n):
                    rgb[k, i] = np.float32(codes[row + i]) * u
            for i in range(n):
                light[i] = np.float32(0.2126) * rgb[0, i] + np.float32(0.7152) * rgb[1, i] + np.float32(0.0722) * rgb[2, i]
            if span == SHADOWS:
                for i in range(n):
                    weight[i] = amount * (one - light[i]) * (one - light[i])
            elif span == MIDTONES:
                for i in range(n):
                    weight[i] = amount * four * light[i] * (one - light[i])
            elif span == HIGHLIGHTS:
                for i in range(n):
                    weight[i] = amount * light[i] * light[i]
            else:
                for i in range(n):
                    weight[i] = amount
            if change == HUE:
                for i in range(n):
                    rgb[0, i], rgb[1, i], rgb[2, i] = turn_hsv(rgb[0, i], rgb[1, i], rgb[2, i], turns * weight[i], zero, zero)
            for k in range(3):
                if change == LIGHTEN:
                    for i in range(n):
                        rgb[k, i] += (one - rgb[k, i]) * weight[i]
                elif change == DARKEN:
                    for i in range(n):
                        rgb[k, i] -= rgb[k, i] * weight[i]
                elif change == CONTRAST:
                    for i in range(n):
                        rgb[k, i] = (rgb[k, i] - half) * (one + weight[i]) + half
                elif change in (SATURATE, DESATURATE):
                    way = one if change == SATURATE else -one
                    for i in range(n):
                        rgb[k, i] = light[i] + (rgb[k, i] - light[i]) * (one + way * weight[i])
                elif change == TINT:
                    lift = colour[k] / its_own if its_own > zero else zero
                    for i in range(n):
                        rgb[k, i] += (lift * light[i] - rgb[k, i]) * weight[i]
            for k in range(comps):
                for i in range(n):
                    value = rgb[k, i] if rgb[k, i] > zero else zero
                    value = value if value < one else one
                    out[k, first + i] = np.uint16(np.int32(value * full + half))
            if own:
                top = np.uint64(comps * CHUNK) + first
                for i in range(n):
                    out[comps, first + i] = codes[top + i]


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
