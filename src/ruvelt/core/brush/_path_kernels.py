"""What a pointer path computes for each dab: rays of the view, the surface's side that is seen, and the packed dab."""

# mypy: disallow-untyped-defs=False, disallow-untyped-calls=False
from __future__ import annotations

import numba
import numpy as np

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
    KIND,
    LONG,
    MIX,
    MIX_CHANGE,
    NORMAL,
    RADIUS,
    RICH_BALL,
    RICH_DISC,
    ROUNDNESS,
    SHORT,
    SWEEP,
    TIP,
    TRAVELLED,
    X,
)
from ruvelt.core.brush.tip_arrays import PATTERN
from ruvelt.core.kernels import f64_scratch, inline, kernel

f32, f64, i32 = numba.float32, numba.float64, numba.int32


@inline
def _lay_along(normal, lean, i, axis):
    """axis[:] = unit vector across normal[i], as close to `lean` as can be; False where `lean` lies along the normal."""
    along = normal[i, 0] * lean[0] + normal[i, 1] * lean[1] + normal[i, 2] * lean[2]
    for k in range(3):
        axis[k] = lean[k] - normal[i, k] * along
    size = np.sqrt(axis[0] * axis[0] + axis[1] * axis[1] + axis[2] * axis[2])
    if size <= 1e-6:
        return False
    for k in range(3):
        axis[k] /= size
    return True


@kernel(numba.void(f64[:, ::1], f64[:, ::1], numba.boolean, f64[:, ::1]))
def axes_across(normal, lean, turned, out):
    """out : (n, 3) unit vectors across `normal`, as close to `lean` (n or 1 rows) as can be; `turned` on by a quarter about the normal."""
    axis = f64_scratch(3)
    for i in range(len(normal)):
        if not _lay_along(normal, lean[i if len(lean) > 1 else 0], i, axis):
            _lay_along(normal, (1.0, 0.0, 0.0) if abs(normal[i, 0]) < 0.9 else (0.0, 0.0, 1.0), i, axis)
        for k in range(3):
            p, q = (k + 1) % 3, (k + 2) % 3
            out[i, k] = normal[i, p] * axis[q] - normal[i, q] * axis[p] if turned else axis[k]


@kernel(numba.void(f32[:, ::1], f64[::1], f64[:, ::1], f64[:, ::1], f64, f64, PATTERN, numba.boolean, f64[::1], f32[:, ::1]))
def pack_rich(balls, number, chance, across, limit, depth, pattern, flat, travelled, out):
    """out : (n, WIDTH) rich dabs from plain ones.

    number : (n,) of their stops; chance : (n, 6) in 0 … 1; across : (n, 3), or none; travelled : (4,) kept between calls: the
    way in lengths, in diameters, the share of mixing there, and the last stop's number
    """
    tips, flip, direction, length, spacing, spread = pattern
    for i in range(len(balls)):
        for k in range(FACING):
            out[i, k] = balls[i, k]
        sweep = 0.0
        for k in range(3):
            out[i, SWEEP + k] = balls[i, SWEEP + k]
            sweep += np.float64(balls[i, SWEEP + k]) ** 2
        sweep, wide = np.sqrt(sweep), 2 * np.float64(balls[i, RADIUS])
        travelled[1] += sweep / wide if sweep > 0 and wide > 0 else (number[i] - travelled[3]) * spacing
        travelled[3] = number[i]
        out[i, FACING], out[i, DEPTH] = limit, depth
        out[i, TIP] = min(np.floor(chance[i, 0] * tips), tips - 1.0) if tips > 0 else -1.0
        out[i, FLIP] = -1 if (flip == 1 and number[i] % 2 == 1) or (flip == 2 and chance[i, 1] < 0.5) else 1
        out[i, MIX] = 0
        if direction == 1:
            out[i, MIX] = 1 - abs(1 - (travelled[1] / length) % 2)
        elif direction == 2:
            out[i, MIX] = chance[i, 2]
        for k in range(3):
            out[i, HUE + k] = (2 * chance[i, 3 + k] - 1) * spread[k]
            out[i, ASIDE + k] = across[i, k] if len(across) > 0 else 0.0
        # Added one by one, so that it makes no difference how a stroke is cut into batches. Dabs of one stop lie at one place.
        if sweep > 0:
            travelled[0] += sweep
        elif i == 0 or number[i] != number[i - 1]:
            travelled[0] += spacing * wide
        out[i, TRAVELLED], out[i, KIND], out[i, BENT] = travelled[0], RICH_DISC if flat else RICH_BALL, 0
        out[i, MIX_CHANGE] = out[i, MIX] - travelled[2] if sweep > 0 else 0.0
        travelled[2] = out[i, MIX]


@kernel(numba.void(f64[:, ::1], f64[:, ::1], f64[:, ::1], f64[::1], f64[::1], f64[::1], f64[::1], f64, f64, f64, f32[:, ::1]))
def pack_balls(centre, normal, across, radius, turn, flow, cap, roundness, hardness, facing, out):
    """out : (n, WIDTH) plain dabs, but their sweep. across : (n, 3) unit; turn : (n,) radians about the normal."""
    for i in range(len(centre)):
        cos, sin = np.cos(turn[i]), np.sin(turn[i])
        for k in range(3):
            p, q = (k + 1) % 3, (k + 2) % 3
            other = normal[i, p] * across[i, q] - normal[i, q] * across[i, p]
            out[i, X + k], out[i, NORMAL + k] = centre[i, k], normal[i, k]
            out[i, LONG + k], out[i, SHORT + k] = across[i, k] * cos + other * sin, other * cos - across[i, k] * sin
        out[i, RADIUS], out[i, ROUNDNESS], out[i, HARDNESS] = radius[i], roundness, hardness
        out[i, FLOW], out[i, CAP], out[i, FACING] = flow[i], cap[i], facing


@kernel(i32(f64[:, ::1], f64[::1], f64, f64, f64, f64, f64, numba.types.UniTuple(f64, 3), f64[::1], i32, f64[:, ::1]))
def lay_stops(points, pressures, leash, step, low, gamma, least, shape, state, most, out):
    """Walk a polyline and stop every so often; returns how many stops there are, in out (n, 4): place and pressure, at most `most` a point.

    leash : how far the tip trails the hand; the step at pressure p is max(step · (low + (1 − low) · p^gamma) · extent, least)
    shape : long over short side of the tip, and its long axis: its extent along the path counts, a share of the long side
    state : (10,) kept between calls: begun, tip 1–3, last stop's point 4–6 and pressure 7, way left to the next stop 8, extent 9
    """
    flat, along_x, along_y = shape
    n = 0
    full = step
    for i in range(len(points)):
        # Room is left for the stops of the points to come.
        room = len(out) - (len(points) - i)
        x, y, z, pressure = points[i, 0], points[i, 1], points[i, 2], pressures[i]
        if state[0] != 0:
            dx, dy, dz = x - state[1], y - state[2], z - state[3]
            far = np.sqrt(dx * dx + dy * dy + dz * dz)
            if leash > 0 and far > leash:
                share = leash / far
                x, y, z = x - dx * share, y - dy * share, z - dz * share
            elif leash > 0:
                x, y, z = state[1], state[2], state[3]
        state[1], state[2], state[3] = x, y, z
        if state[0] == 0:
            state[0] = 1
            out[n, 0], out[n, 1], out[n, 2], out[n, 3] = x, y, z, pressure
            n += 1
            state[8] = max(step * (low + (1 - low) * pressure**gamma), least)
            state[4], state[5], state[6], state[7] = x, y, z, pressure
            continue
        dx, dy, dz = x - state[4], y - state[5], z - state[6]
        whole, done, begun = np.sqrt(dx * dx + dy * dy + dz * dz), 0.0, n
        if flat > 1 and whole > 0:
            # The way to the next stop shrinks or grows with the extent where the path turns.
            cosine = (dx * along_x + dy * along_y) / whole
            extent = 1 / np.sqrt(cosine * cosine + (1 - min(cosine * cosine, 1.0)) * flat * flat)
            state[8] *= extent / (state[9] if state[9] > 0 else 1.0)
            state[9], step = extent, full * extent
        while whole - done >= state[8] and n - begun < most and n < room:
            done += state[8]
            share = done / whole
            p = state[7] + (pressure - state[7]) * share
            out[n, 0], out[n, 1], out[n, 2], out[n, 3] = state[4] + dx * share, state[5] + dy * share, state[6] + dz * share, p
            n += 1
            state[8] = max(step * (low + (1 - low) * p**gamma), least)
        if n - begun < most and n < room:
            state[8] = max(state[8] - (whole - done), 0.0)
        else:
            state[8] = max(step * (low + (1 - low) * pressure**gamma), least)
        state[4], state[5], state[6], state[7] = x, y, z, pressure
    return n
