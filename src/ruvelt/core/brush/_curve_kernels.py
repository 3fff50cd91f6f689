"""The curve through pointer samples."""

# mypy: disallow-untyped-defs=False, disallow-untyped-calls=False
from __future__ import annotations

import numba
import numpy as np

from ruvelt.core.kernels import f64_scratch, inline, kernel

f64, i64 = numba.float64, numba.int64
#: A turn with a smaller cosine is a corner, where the hand is slow enough to have meant it or nothing tells how fast it was.
CORNER_COS = 0.5
#: Pixels a second.
CORNER_SPEED = 400.0
#: Pixels between samples up to which the device's own steps show, and how far such a sample is moved at most.
SLOW_PX, NUDGE_PX = 4.0, 0.5
#: The polyline that stands for the curve keeps within this of it, pixels.
FLAT_PX = 0.05
MOST_PIECES = 64
#: State between samples: how many there were 0; the last knot 1–4 (place, pressure) and its time 5; the sample after it 6–10;
#: the tangent at the knot 11–14 and whether there is one 15.
STATE = 16


@inline
def _far(state, p, q):
    """Distance between two places in the state."""
    dx, dy, dz = state[q] - state[p], state[q + 1] - state[p + 1], state[q + 2] - state[p + 2]
    return np.sqrt(dx * dx + dy * dy + dz * dz)


@inline
def _piece(state, tangent, has, unit, out, n):
    """Emit the curve from the knot to the sample after it, without its first point; returns how many points there are then.

    tangent : (4,) at the sample after it, in units of a root of length
    """
    handle = f64_scratch((2, 4))
    chord = _far(state, 1, 6)
    root = np.sqrt(chord)
    for k in range(4):
        handle[0, k] = state[11 + k] * root / 3
        handle[1, k] = tangent[k] * root / 3
    # An end that nobody tells a tangent mirrors the other's, as an arc does; pressure runs straight there.
    for end in range(2):
        known = state[15] > 0 if end == 0 else has
        other = has if end == 0 else state[15] > 0
        if known:
            continue
        along = 0.0
        for k in range(3):
            along += handle[1 - end, k] * (state[6 + k] - state[1 + k])
        for k in range(3):
            direction = (state[6 + k] - state[1 + k]) / chord
            handle[end, k] = 2 * along / chord * direction - handle[1 - end, k] if other else direction * chord / 3
        handle[end, 3] = (state[9] - state[4]) / 3
    # Second differences of the control points bound how far chords stray (Wang 1984); only what lies across the chord counts.
    bend = 0.0
    for first in range(2):
        size = along = 0.0
        for k in range(3):
            a, b = state[1 + k], state[6 + k]
            p, q = a + handle[0, k], b - handle[1, k]
            d = a - 2 * p + q if first == 0 else p - 2 * q + b
            size += d * d
            along += d * (b - a) / chord
        bend = max(bend, np.sqrt(max(size - along * along, 0.0)))
    pieces = int(min(max(np.ceil(np.sqrt(0.75 * bend / (FLAT_PX * unit))), 1.0), MOST_PIECES))
    low, high = min(state[4], state[9]), max(state[4], state[9])
    for i in range(1, pieces + 1):
        t = i / pieces
        s = 1 - t
        for k in range(4):
            a, b = state[1 + k], state[6 + k]
            out[n, k] = s * s * s * a + 3 * s * s * t * (a + handle[0, k]) + 3 * s * t * t * (b - handle[1, k]) + t * t * t * b
        out[n, 3] = min(max(out[n, 3], low), high)
        n += 1
    for k in range(4):
        out[n - 1, k] = state[6 + k]
    return n


@kernel(i64(f64[:, ::1], f64, numba.boolean, f64[::1], f64[:, ::1]))
def join_samples(samples, unit, last, state, out):
    """Points of the curve that samples (n, 5: place, pressure, time) complete, in out (MOST_PIECES · (n + 1), 4); returns how many.

    A centripetal curve through all of them (C. Yuksel, S. Schaefer, J. Keyser, "Parameterization and applications of Catmull–Rom
    curves", 2011), one sample behind. unit : of a pixel on the path; last : no more samples come
    """
    n = 0
    tangent = f64_scratch(4)
    for i in range(len(samples)):
        if state[0] == 0:
            state[0] = 1
            for k in range(5):
                state[6 + k] = samples[i, k]
            for k in range(4):
                out[n, k] = samples[i, k]
            n += 1
            continue
        step = np.sqrt((samples[i, 0] - state[6]) ** 2 + (samples[i, 1] - state[7]) ** 2 + (samples[i, 2] - state[8]) ** 2)
        if step <= 1e-6 * unit:
            state[9], state[10] = samples[i, 3], samples[i, 4]
            continue
        if state[0] == 1:
            state[0] = 2
            for k in range(5):
                state[1 + k], state[6 + k] = state[6 + k], samples[i, k]
            state[15] = 0
            continue
        back = _far(state, 1, 6)
        if back <= SLOW_PX * unit and step <= SLOW_PX * unit:
            move = 0.0
            for k in range(3):
                tangent[k] = 0.25 * (state[1 + k] + samples[i, k]) - 0.5 * state[6 + k]
                move += tangent[k] * tangent[k]
            share = min(NUDGE_PX * unit / max(np.sqrt(move), 1e-300), 1.0)
            for k in range(3):
                state[6 + k] += share * tangent[k]
            back = _far(state, 1, 6)
            step = np.sqrt((samples[i, 0] - state[6]) ** 2 + (samples[i, 1] - state[7]) ** 2 + (samples[i, 2] - state[8]) ** 2)
        if back <= 1e-6 * unit or step <= 1e-6 * unit:
            # The hand stands still, or went back to where it came from: there is no way to follow.
            for k in range(5):
                state[6 + k] = samples[i, k]
            continue
        cosine = 0.0
        for k in range(3):
            cosine += (state[6 + k] - state[1 + k]) * (samples[i, k] - state[6 + k]) / (back * step)
        taken = samples[i, 4] - state[5]
        smooth = cosine >= CORNER_COS or (taken > 0 and back + step > CORNER_SPEED * unit * taken)
        p, q = np.sqrt(back), np.sqrt(step)
        for k in range(4):
            a, b, c = state[1 + k], state[6 + k], samples[i, k]
            tangent[k] = (b - a) / p - (c - a) / (p + q) + (c - b) / q
        n = _piece(state, tangent, smooth, unit, out, n)
        for k in range(5):
            state[1 + k], state[6 + k] = state[6 + k], samples[i, k]
        for k in range(4):
            state[11 + k] = tangent[k]
        state[15] = 1 if smooth else 0
    if last and state[0] >= 2 and _far(state, 1, 6) > 1e-6 * unit:
        n = _piece(state, tangent, False, unit, out, n)
    return n
