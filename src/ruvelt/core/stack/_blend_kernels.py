"""The evaluation kernel: all layers of one channel over runs of one chunk, batch by batch, in float32.

One list of operations (back to front) is walked for each batch of samples, so that a batch stays in the nearest cache while every
layer is laid on it. Level 0 is the opaque start value; a group opens a transparent level above it.
"""

# mypy: disable-error-code="no-untyped-def, assignment"
import numba
import numpy as np

from ruvelt.core._value_kernels import quantised
from ruvelt.core.kernels import call_rows, f32_at, f32_scratch, inline, kernel, u16_at
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.arrays import RUNS
from ruvelt.core.stack._colour_kernels import adjust_rows, cube_rows
from ruvelt.core.stack.step_arrays import STEPS

PLANE, CONST, PUSH, POP, FOLDED, TABLE, COLOUR, CUBE = 0, 1, 2, 3, 4, 5, 6, 7
#: Added to TABLE and COLOUR inside a group: they read what lies beneath the group too, and lay what they make of it in the group.
THROUGH = 16
#: More than any packed adjustment or cube holds.
ALL = 1 << 24
#: Blend modes that move the colour below along a straight line; their codes are 0, 1 and 2.
STRAIGHT_MODES = ("normal", "multiply", "screen")
BATCH = 2048
U = np.float32(1.0 / 65535.0)
f32, i32, i64 = numba.float32, numba.int32, numba.int64


@inline
def _lum(r, g, b):
    return np.float32(0.3) * r + np.float32(0.59) * g + np.float32(0.11) * b


@inline
def _set_lum(r, g, b, target):
    """SetLum with ClipColor, W3C section 10.2."""
    d = target - _lum(r, g, b)
    r, g, b = r + d, g + d, b + d
    l = _lum(r, g, b)
    low, high = min(r, g, b), max(r, g, b)
    if low < np.float32(0):
        k = l / (l - low)
        r, g, b = l + (r - l) * k, l + (g - l) * k, l + (b - l) * k
    if high > np.float32(1):
        k = (np.float32(1) - l) / (high - l)
        r, g, b = l + (r - l) * k, l + (g - l) * k, l + (b - l) * k
    return r, g, b


@inline
def _set_sat(r, g, b, sat):
    low, high = min(r, g, b), max(r, g, b)
    if high <= low:
        return np.float32(0), np.float32(0), np.float32(0)
    k = sat / (high - low)
    return (r - low) * k, (g - low) * k, (b - low) * k


@inline
def _non_separable(mode, br, bg, bb, sr, sg, sb):
    if mode == 13:
        r, g, b = _set_sat(sr, sg, sb, max(br, bg, bb) - min(br, bg, bb))
        return _set_lum(r, g, b, _lum(br, bg, bb))
    if mode == 14:
        r, g, b = _set_sat(br, bg, bb, max(sr, sg, sb) - min(sr, sg, sb))
        return _set_lum(r, g, b, _lum(br, bg, bb))
    if mode == 15:
        return _set_lum(sr, sg, sb, _lum(br, bg, bb))
    return _set_lum(br, bg, bb, _lum(sr, sg, sb))


@inline
def _lay(mode, loop, comps, n, acc, src, a, mixed):
    """Lay n source samples on the opaque level 0. src: comps × batch; a: alpha with mask and strength; loop: address of the mode's; mixed: room.

    Rows are taken out of the arrays before the loops: only plain `row[i]` is turned into vector instructions.
    """
    if 13 <= mode <= 16:
        r0, r1, r2 = acc[0], acc[1], acc[2]
        s0, s1, s2 = src[0], src[1], src[2]
        for i in range(n):
            r, g, b = _non_separable(mode, r0[i], r1[i], r2[i], s0[i], s1[i], s2[i])
            r0[i] += (r - r0[i]) * a[i]
            r1[i] += (g - r1[i]) * a[i]
            r2[i] += (b - r2[i]) * a[i]
        return
    for k in range(comps):
        row, s = acc[k], src[k]
        if mode == 0:
            for i in range(n):
                row[i] += (s[i] - row[i]) * a[i]
        elif mode == 1:
            for i in range(n):
                row[i] += (row[i] * s[i] - row[i]) * a[i]
        elif mode == 2:
            for i in range(n):
                row[i] += (s[i] - row[i] * s[i]) * a[i]
        else:
            call_rows(loop, row, s, mixed, n)
            for i in range(n):
                row[i] += (mixed[i] - row[i]) * a[i]


@inline
def _lay_in_group(mode, loop, comps, n, acc, alpha, src, a, over_share, under_share, mixed):
    """Lay n source samples on a transparent level with straight alpha: co = (αs·Cs' + (1 − αs)·αb·Cb) / αo, W3C section 5.1 and 9."""
    one, zero = np.float32(1), np.float32(0)
    for i in range(n):
        total = a[i] + alpha[i] * (one - a[i])
        inverse = one / total if total > zero else zero
        over_share[i] = a[i] * inverse
        under_share[i] = (one - a[i]) * alpha[i] * inverse if total > zero else one
    if 13 <= mode <= 16:
        r0, r1, r2 = acc[0], acc[1], acc[2]
        s0, s1, s2 = src[0], src[1], src[2]
        for i in range(n):
            r, g, b = _non_separable(mode, r0[i], r1[i], r2[i], s0[i], s1[i], s2[i])
            r0[i] = over_share[i] * (s0[i] + (r - s0[i]) * alpha[i]) + under_share[i] * r0[i]
            r1[i] = over_share[i] * (s1[i] + (g - s1[i]) * alpha[i]) + under_share[i] * r1[i]
            r2[i] = over_share[i] * (s2[i] + (b - s2[i]) * alpha[i]) + under_share[i] * r2[i]
    else:
        for k in range(comps):
            row, s = acc[k], src[k]
            if mode == 0:
                for i in range(n):
                    row[i] = over_share[i] * s[i] + under_share[i] * row[i]
            else:
                call_rows(loop, row, s, mixed, n)
                for i in range(n):
                    row[i] = over_share[i] * (s[i] + (mixed[i] - s[i]) * alpha[i]) + under_share[i] * row[i]
    for i in range(n):
        alpha[i] = a[i] + alpha[i] * (one - a[i])


@inline
def _encode_srgb(value):
    """Linear 0–1 float to a 16-bit sRGB code (IEC 61966-2-1)."""
    v = min(np.float32(1), max(np.float32(0), value))
    if v <= np.float32(0.0031308):
        return quantised(v * np.float32(12.92))
    return quantised(np.float32(1.055) * v ** np.float32(1 / 2.4) - np.float32(0.055))


@kernel(
    numba.void(STEPS, i32, i32, numba.boolean, f32[::1], RUNS, i32, f32[:, :, ::1], numba.boolean, f32[:, :, ::1], i64),
    allocates=True,
)
def evaluate_runs(steps, comps, levels, linear, decode, runs, level0, state_in, save, state_out, out):
    """Walk the operations over runs of a chunk.


    runs : of the chunk, each at most BATCH long
    level0, state_in : level to go on from and its (levels, comps + 1, 65536) state; a state of size 0 starts from consts[0] (operation 0)
    save : write the state reached to state_out instead of codes to the (comps, 65536) uint16 at address `out`
    """
    kinds, modes, loops, strengths, planes, masks, consts = steps
    starts, counts = runs
    acc = np.empty((levels, comps, BATCH), np.float32)
    alpha = np.ones((levels, BATCH), np.float32)
    src, flat = np.empty((comps, BATCH), np.float32), np.empty((comps, BATCH), np.float32)
    a = np.empty(BATCH, np.float32)
    share1, share2, mixed = np.empty(BATCH, np.float32), np.empty(BATCH, np.float32), np.empty(BATCH, np.float32)
    run, total = 0, len(starts)
    while run < total:
        # Gather runs into one batch.
        first, n = run, 0
        while run < total and n + counts[run] <= BATCH:
            n += counts[run]
            run += 1
        level = level0
        if state_in.shape[2] == 0:
            for k in range(comps):
                acc[0, k, :n] = consts[0, k]
        else:
            for l in range(level + 1):
                place = np.uint64(0)
                for r in range(first, run):
                    s, m = np.uint64(starts[r]), np.uint64(counts[r])
                    if l > 0:
                        for i in range(m):
                            alpha[l, place + i] = state_in[l, comps, s + i]
                    for k in range(comps):
                        for i in range(m):
                            acc[l, k, place + i] = state_in[l, k, s + i]
                    place += m
        for op in range(1, len(kinds)):
            kind, strength = kinds[op] & 15, strengths[op]
            through = kinds[op] >= THROUGH and level > 0
            if kind == PUSH:
                level += 1
                alpha[level, :n] = np.float32(0)
                for k in range(comps):
                    acc[level, k, :n] = np.float32(0)
                continue
            if kind == FOLDED:
                lines, place = f32_at(planes[op], 2 * comps * CHUNK), np.uint64(0)
                for r in range(first, run):
                    s, m = np.uint64(starts[r]), np.uint64(counts[r])
                    for k in range(comps):
                        gain, offset = np.uint64(k * CHUNK) + s, np.uint64((comps + k) * CHUNK) + s
                        for i in range(m):
                            acc[0, k, place + i] = acc[0, k, place + i] * lines[gain + i] + lines[offset + i]
                    place += m
                continue
            if kind == PLANE and level == 0 and modes[op] == 0 and not linear:
                # The everyday case, fused: plain blending on the opaque level.
                scale = U * strength * (U if masks[op] != 0 else np.float32(1))
                values_u16, mask = u16_at(planes[op], CHUNK * (comps + 1)), u16_at(masks[op], CHUNK)
                top, place = np.uint64(comps * CHUNK), np.uint64(0)
                for r in range(first, run):
                    s, m = np.uint64(starts[r]), np.uint64(counts[r])
                    if masks[op] != 0:
                        for i in range(m):
                            a[place + i] = np.float32(values_u16[top + s + i]) * np.float32(mask[s + i]) * scale
                    else:
                        for i in range(m):
                            a[place + i] = np.float32(values_u16[top + s + i]) * scale
                    for k in range(comps):
                        begin = np.uint64(k * CHUNK) + s
                        for i in range(m):
                            acc[0, k, place + i] += (np.float32(values_u16[begin + i]) * U - acc[0, k, place + i]) * a[place + i]
                    place += m
                continue
            if kind == PLANE:
                at = 0
                scale = U * strength
                for r in range(first, run):
                    m = counts[r]
                    address = planes[op] + 2 * starts[r]
                    for k in range(comps):
                        values_u16, row = u16_at(address + 2 * k * CHUNK, m), src[k, at : at + m]
                        if linear:
                            for i in range(m):
                                row[i] = decode[values_u16[i]]
                        else:
                            for i in range(m):
                                row[i] = np.float32(values_u16[i]) * U
                    values_u16, row = u16_at(address + 2 * comps * CHUNK, m), a[at : at + m]
                    for i in range(m):
                        row[i] = np.float32(values_u16[i]) * scale
                    at += m
            elif kind == CONST:
                for k in range(comps):
                    src[k, :n] = consts[op, k]
                a[:n] = strength
            elif kind in (TABLE, COLOUR, CUBE):
                beneath = acc[level]
                if through:
                    # What the open groups lie on, with all of them laid plainly.
                    beneath = flat
                    for k in range(comps):
                        row = flat[k]
                        row[:n] = acc[0, k, :n]
                        for l in range(1, level + 1):
                            over, share = acc[l, k], alpha[l]
                            for i in range(n):
                                row[i] += (over[i] - row[i]) * share[i]
                if kind == COLOUR:
                    adjust_rows(f32_at(planes[op], ALL), linear, beneath, src, n)
                elif kind == CUBE:
                    cube_rows(f32_at(planes[op], ALL), linear, beneath, src, n)
                else:
                    curve = f32_at(planes[op], CHUNK)
                    for k in range(comps):
                        row, new = beneath[k], src[k]
                        for i in range(n):
                            new[i] = curve[quantised(row[i])]
                a[:n] = strength
            else:
                above = alpha[level]
                for i in range(n):
                    a[i] = above[i] * strength
                for k in range(comps):
                    src[k, :n] = acc[level, k, :n]
                level -= 1
            if masks[op] != 0:
                at = 0
                for r in range(first, run):
                    m = counts[r]
                    values_u16, row = u16_at(masks[op] + 2 * starts[r], m), a[at : at + m]
                    for i in range(m):
                        row[i] *= np.float32(values_u16[i]) * U
                    at += m
            if level == 0 or (kind in (TABLE, COLOUR, CUBE) and not through):
                # What changes a colour leaves how much of it there is.
                _lay(modes[op], loops[op], comps, n, acc[level], src, a, mixed)
            else:
                _lay_in_group(modes[op], loops[op], comps, n, acc[level], alpha[level], src, a, share1, share2, mixed)
        place = np.uint64(0)
        for r in range(first, run):
            s, m = np.uint64(starts[r]), np.uint64(counts[r])
            if save:
                for l in range(level + 1):
                    for i in range(m):
                        state_out[l, comps, s + i] = alpha[l, place + i]
                    for k in range(comps):
                        for i in range(m):
                            state_out[l, k, s + i] = acc[l, k, place + i]
            else:
                for k in range(comps):
                    values_u16 = u16_at(out + 2 * k * CHUNK, CHUNK)
                    if linear:
                        for i in range(m):
                            values_u16[s + i] = _encode_srgb(acc[0, k, place + i])
                    else:
                        for i in range(m):
                            values_u16[s + i] = quantised(acc[0, k, place + i])
            place += m


@kernel(numba.void(STEPS, numba.boolean, f32[::1], RUNS, f32[:, :, ::1]))
def fold_runs(steps, linear, decode, runs, out):
    """What opaque-level steps 1 … do to any colour below them, as one line a sample: x → gain · x + offset.

    Only PLANE and CONST steps in straight modes; arguments as in `evaluate_runs`; out : (2, comps, 65536) float32, gains then offsets
    """
    kinds, modes, _, strengths, planes, masks, consts = steps
    starts, counts = runs
    one = np.float32(1)
    comps = out.shape[1]
    for r in range(len(starts)):
        first, end = np.uint64(starts[r]), np.uint64(starts[r] + counts[r])
        for k in range(comps):
            for i in range(first, end):
                out[0, k, i] = one
                out[1, k, i] = np.float32(0)
        for op in range(1, len(kinds)):
            plain = kinds[op] == CONST
            values_u16, mask = u16_at(planes[op], CHUNK * (comps + 1)), u16_at(masks[op], CHUNK)
            top = np.uint64(comps * CHUNK)
            for k in range(comps):
                row = np.uint64(k * CHUNK)
                for i in range(first, end):
                    a = strengths[op] if plain else strengths[op] * (np.float32(values_u16[top + i]) * U)
                    if masks[op] != 0:
                        a *= np.float32(mask[i]) * U
                    s = consts[op, k] if plain else (decode[values_u16[row + i]] if linear else np.float32(values_u16[row + i]) * U)
                    gain, offset = one - a, s * a
                    if modes[op] == 1:
                        gain, offset = one - a + a * s, np.float32(0)
                    elif modes[op] == 2:
                        gain = one - a * s
                    out[0, k, i] *= gain
                    out[1, k, i] = out[1, k, i] * gain + offset


REPLACE, MULTIPLY, ADD, SUBTRACT, MAX, MIN = 0, 1, 2, 3, 4, 5


@kernel(numba.void(i64, i64[::1], i64[::1], f32[::1], i32[::1], f32[::1], numba.boolean[::1], numba.boolean, i32[::1], i32[::1], numba.uint16[::1]))
def mask_runs(under, values, covers, bases, combines, strengths, inverts, invert_all, starts, counts, out):
    """Combine mask steps bottom to top over runs of a chunk into (65536,) uint16, 65535 reveals.

    under : address of (65536,) uint16 to begin with, 0 to begin with 1
    values, covers : (steps,) addresses of (65536,) uint16, 0 for none; where nothing covers, `bases` holds. A step whose combine mode is −1
    is a table: values is the address of (65536,) float32
    """
    one, zero = np.float32(1), np.float32(0)
    acc, v = f32_scratch(BATCH), f32_scratch(BATCH)
    for r in range(len(starts)):
        s, n = starts[r], counts[r]
        acc[:n] = one
        if under != 0:
            values_u16 = u16_at(under + 2 * s, n)
            for i in range(n):
                acc[i] = np.float32(values_u16[i]) * U
        for j in range(len(values)):
            base, strength, mode = bases[j], strengths[j], combines[j]
            if mode < 0:
                shape = f32_at(values[j], CHUNK)
                for i in range(n):
                    acc[i] += (shape[quantised(acc[i])] - acc[i]) * strength
                continue
            v[:n] = base
            if values[j] != 0:
                values_u16 = u16_at(values[j] + 2 * s, n)
                if covers[j] != 0:
                    cover = u16_at(covers[j] + 2 * s, n)
                    for i in range(n):
                        v[i] = base + (np.float32(values_u16[i]) * U - base) * (np.float32(cover[i]) * U)
                else:
                    for i in range(n):
                        v[i] = np.float32(values_u16[i]) * U
            if inverts[j]:
                for i in range(n):
                    v[i] = one - v[i]
            if mode == MULTIPLY:
                for i in range(n):
                    v[i] = acc[i] * v[i]
            elif mode == ADD:
                for i in range(n):
                    v[i] = min(one, acc[i] + v[i])
            elif mode == SUBTRACT:
                for i in range(n):
                    v[i] = max(zero, acc[i] - v[i])
            elif mode == MAX:
                for i in range(n):
                    v[i] = max(acc[i], v[i])
            elif mode == MIN:
                for i in range(n):
                    v[i] = min(acc[i], v[i])
            for i in range(n):
                acc[i] += (v[i] - acc[i]) * strength
        if invert_all:
            for i in range(n):
                acc[i] = one - acc[i]
        values_u16 = out[s : s + n]
        for i in range(n):
            values_u16[i] = quantised(acc[i])
