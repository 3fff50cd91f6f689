"""Loops of tools that read the surface: how tone changes a colour, and colours times coverage."""

# mypy: disable-error-code="no-untyped-def"
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core._value_kernels import LUMA
from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.color._oklch_kernels import decoded, encoded, lab_of, within
from ruvelt.core.kernels import f32_scratch, inline, kernel, u16_at
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.arrays import RUNS

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16


LIGHTEN, DARKEN, CONTRAST, SATURATE, DESATURATE, HUE, TINT = 0, 1, 2, 3, 4, 5, 6
ALL, SHADOWS, MIDTONES, HIGHLIGHTS = 0, 1, 2, 3


@inline
def _laid_as_light(before, after, share):
    """What has to be laid by a share over one encoded value for another, mixed as light."""
    low = decoded(before)
    light = low + (decoded(after) - low) / share
    light = light if light > np.float32(0) else np.float32(0)
    return encoded(light if light < np.float32(1) else np.float32(1))


#: Coverage from which a hue is turned in earnest.
LEAST = np.float32(1e-3)
#: Samples changed at once.
BATCH = 256


class ToneChange(NamedTuple):
    """change, span : of the numbers above; amount : 0–1; turns : of hue; colour : (3,) float32 encoded, of a tint"""

    change: int
    span: int
    amount: float
    turns: float
    colour: NDArray[np.float32]


CHANGE = numba.types.NamedTuple((i64, i64, numba.float64, numba.float64, f32[::1]), ToneChange)


@kernel(numba.void(RUNS, i64, i32, numba.boolean, CHANGE, numba.boolean, f32[::1], f32, u16[:, ::1]), late=True)
def tone_runs(runs, look, comps, own, tone, linear, coverage, cover, out):
    """Change the look of runs of a chunk as `target.Tone` says. look : address of (comps, 65536) uint16 encoded, with `own` alpha after them,
    which stays; out : the same; coverage : (65536,) of the stroke. A hue is turned by as much of the way as that, and out is
    what has to be laid for it, with coverage times `cover`: else colours would go grey on the way. linear : what is laid is mixed as light
    """
    starts, counts = runs
    change, span, amount, turns, colour = np.int32(tone.change), np.int32(tone.span), np.float32(tone.amount), np.float32(tone.turns), tone.colour
    u, full, half, one, zero, four = np.float32(1 / 65535), np.float32(65535), np.float32(0.5), np.float32(1), np.float32(0), np.float32(4)
    values_u16 = u16_at(look, CHUNK * (comps + 1))
    rgb, light, weight = f32_scratch((3, BATCH)), f32_scratch(BATCH), f32_scratch(BATCH)
    _, tint_a, tint_b = lab_of(colour[0], colour[1], colour[2])
    # One number has neither hue nor chroma.
    chroma = comps == 3 and change in (SATURATE, DESATURATE, TINT)
    for run in range(len(starts)):
        for begin in range(starts[run], starts[run] + counts[run], BATCH):
            first, n = np.uint64(begin), np.uint64(min(BATCH, starts[run] + counts[run] - begin))
            for k in range(3):
                row = np.uint64((k if comps == 3 else 0) * CHUNK) + first
                for i in range(n):
                    rgb[k, i] = np.float32(values_u16[row + i]) * u
            for i in range(n):
                light[i] = LUMA[0] * rgb[0, i] + LUMA[1] * rgb[1, i] + LUMA[2] * rgb[2, i]
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
            if change == HUE and comps == 3 and linear:
                for i in range(n):
                    laid = coverage[first + i]
                    laid = laid if laid > LEAST else LEAST
                    r, g, b = turn_hsv(rgb[0, i], rgb[1, i], rgb[2, i], turns * weight[i] * laid, zero, zero)
                    laid = min(laid * cover, one)
                    rgb[0, i] = _laid_as_light(rgb[0, i], r, laid)
                    rgb[1, i] = _laid_as_light(rgb[1, i], g, laid)
                    rgb[2, i] = _laid_as_light(rgb[2, i], b, laid)
            elif change == HUE and comps == 3:
                for i in range(n):
                    laid = coverage[first + i]
                    laid = laid if laid > LEAST else LEAST
                    r, g, b = turn_hsv(rgb[0, i], rgb[1, i], rgb[2, i], turns * weight[i] * laid, zero, zero)
                    laid = min(laid * cover, one)
                    rgb[0, i] += (r - rgb[0, i]) / laid
                    rgb[1, i] += (g - rgb[1, i]) / laid
                    rgb[2, i] += (b - rgb[2, i]) / laid
            if chroma:
                for i in range(n):
                    lightness, a, b = lab_of(rgb[0, i], rgb[1, i], rgb[2, i])
                    if change == TINT:
                        a, b = a + (tint_a - a) * weight[i], b + (tint_b - b) * weight[i]
                    else:
                        gain = one + weight[i] if change == SATURATE else one - weight[i]
                        a, b = a * gain, b * gain
                    rgb[0, i], rgb[1, i], rgb[2, i] = within(lightness, a, b)
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
            for k in range(comps):
                for i in range(n):
                    value = rgb[k, i] if rgb[k, i] > zero else zero
                    value = value if value < one else one
                    out[k, first + i] = np.uint16(np.int32(value * full + half))
            if own:
                top = np.uint64(comps * CHUNK) + first
                for i in range(n):
                    out[comps, first + i] = values_u16[top + i]


@kernel(numba.void(i64, i32, u16[:, ::1]), late=True)
def multiply_alpha(plane, comps, out):
    """Colours times coverage of a whole chunk. plane : address of (comps + 1, 65536) uint16, alpha last; out : the same, alpha as it was."""
    values_u16 = u16_at(plane, CHUNK * (comps + 1))
    top = np.uint64(comps * CHUNK)
    for i in range(np.uint64(CHUNK)):
        out[comps, i] = values_u16[top + i]
    for k in range(comps):
        row = np.uint64(k * CHUNK)
        for i in range(np.uint64(CHUNK)):
            out[k, i] = np.uint16(np.float32(values_u16[row + i]) * (np.float32(values_u16[top + i]) * np.float32(1 / 65535)) + np.float32(0.5))
