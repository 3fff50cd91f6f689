"""What adjustments do to colours: batches of encoded red, green and blue, everywhere or within picked ranges.

An adjustment comes as one array of float32 (`colour_steps.packed`): a head of 8 numbers, then 32 a set of settings, the adjustment's own first
and then each range's, then the tables they look values up in.
"""

# mypy: disable-error-code="no-untyped-def, arg-type, operator"
import numba
import numpy as np

from ruvelt.core._value_kernels import LUMA, clipped, quantised
from ruvelt.core.color._hsv_kernels import turn_hsv
from ruvelt.core.color._oklch_kernels import EDGE, decoded, encoded, lab_of, lab_of_light, light_of, light_within
from ruvelt.core.kernels import f32_scratch, helper, inline, kernel, u32_scratch
from ruvelt.core.stack.colour_stage import LAB, LIGHT, RAMP, TABLES, TURN

f32, i64, u16 = numba.float32, numba.int64, numba.uint16
HEAD, SET = 8, 32
#: Places in the head: how many sets, which components are changed (3), whether there are ranges, whether what no range has is changed too.
SETS, COMPONENTS, RANGED, REST = 0, 1, 4, 5
#: Places in a set: its numbers begin at 1; where its three tables begin; the range's colour (OKLab), tolerance, softness, and whether turned round.
NUMBERS, TABLE_AT, COLOUR, TOLERANCE, SOFTNESS, INVERTED = 1, 17, 20, 23, 24, 25
MOST_RANGES = 16
#: Of a cube of colours, to a side, and how far apart its numbers are along the axes.
NODES, CELLS, LAST = 33, 32, np.int32(31)
ALONG_X, ALONG_Y, ALONG_Z = NODES * NODES * 3, NODES * 3, 3
#: Samples that are worked on together: all their rows stay in the nearest cache.
SLICE = 256
U = np.float32(1.0 / 65535.0)


@inline
def caught(p, at, l, a, b):
    """How far a range has a colour, before ranges share it."""
    dl, da, db = l - p[at + COLOUR], a - p[at + COLOUR + 1], b - p[at + COLOUR + 2]
    soft = p[at + SOFTNESS]
    t = clipped((np.sqrt(dl * dl + da * da + db * db) - p[at + TOLERANCE]) / (soft if soft > np.float32(1e-4) else np.float32(1e-4)))
    return t if p[at + INVERTED] > np.float32(0) else np.float32(1) - t


@inline
def _decode_rows(n, x, light):
    """Linear light of n encoded colours. One row after the other, so that loops become vector instructions."""
    for k in range(3):
        row, out = x[k], light[k]
        for i in range(n):
            out[i] = decoded(row[i])


@inline
def _encode_rows(n, light, y):
    for k in range(3):
        row, out = light[k], y[k]
        for i in range(n):
            out[i] = encoded(clipped(row[i]))


@helper
def apply_set(p, at, n, x, lab, y, light):
    """What one set makes of n encoded colours, x to y, both (3, SLICE). lab : of the same colours, where the set is LAB; light : room"""
    code = np.int32(p[at])
    x0, x1, x2 = x[0], x[1], x[2]
    y0, y1, y2 = y[0], y[1], y[2]
    r, g, b = light[0], light[1], light[2]
    if code == TABLES:
        for k in range(3):
            row, out, first = x[k], y[k], np.uint64(p[at + TABLE_AT + k])
            for i in range(n):
                out[i] = p[first + quantised(row[i])]
    elif code == TURN:
        hue, saturation, value = p[at + NUMBERS], p[at + NUMBERS + 1], p[at + NUMBERS + 2]
        for i in range(n):
            y0[i], y1[i], y2[i] = turn_hsv(x0[i], x1[i], x2[i], hue, saturation, value)
    elif code == LAB:
        m = p[at + NUMBERS : at + NUMBERS + 8]
        m0, m1, m2, m3, m4, m5, m6, m7 = m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7]
        l0, a0, b0 = lab[0], lab[1], lab[2]
        for i in range(n):
            y0[i] = clipped(m0 + m1 * l0[i])
            y1[i] = m2 + m3 * a0[i] + m4 * b0[i]
            y2[i] = m5 + m6 * a0[i] + m7 * b0[i]
        for i in range(n):
            r[i], g[i], b[i] = light_of(y0[i], y1[i], y2[i])
        for i in range(n):
            if min(r[i], g[i], b[i]) < -EDGE or max(r[i], g[i], b[i]) > np.float32(1) + EDGE:
                r[i], g[i], b[i] = light_within(y0[i], y1[i], y2[i])
        _encode_rows(n, light, y)
    elif code == LIGHT:
        m = p[at + NUMBERS : at + NUMBERS + 9]
        m0, m1, m2, m3, m4, m5, m6, m7, m8 = m[0], m[1], m[2], m[3], m[4], m[5], m[6], m[7], m[8]
        _decode_rows(n, x, light)
        for i in range(n):
            red, green, blue = r[i], g[i], b[i]
            r[i] = m0 * red + m1 * green + m2 * blue
            g[i] = m3 * red + m4 * green + m5 * blue
            b[i] = m6 * red + m7 * green + m8 * blue
        _encode_rows(n, light, y)
    elif code == RAMP:
        _decode_rows(n, x, light)
        for i in range(n):
            r[i] = encoded(clipped(LUMA[0] * r[i] + LUMA[1] * g[i] + LUMA[2] * b[i]))
        for k in range(3):
            out, first = y[k], np.uint64(p[at + TABLE_AT + k])
            for i in range(n):
                out[i] = p[first + quantised(r[i])]
    else:
        for k in range(3):
            row, out = x[k], y[k]
            for i in range(n):
                out[i] = row[i]


@helper
def adjust_rows(p, linear, below, src, n):
    """What a packed adjustment `p` makes of n colours, rows of `below` to rows of `src`; `linear`: both are linear light, else encoded."""
    x, y, lab, light = f32_scratch((3, SLICE)), f32_scratch((3, SLICE)), f32_scratch((3, SLICE)), f32_scratch((3, SLICE))
    weights, total = f32_scratch((MOST_RANGES, SLICE)), f32_scratch((SLICE,))
    picked, picked_lab, mine = f32_scratch((3, SLICE)), f32_scratch((3, SLICE)), u32_scratch((SLICE,))
    sets = np.int64(p[SETS])
    ranged = p[RANGED] > np.float32(0)
    needs_lab = ranged
    for k in range(sets):
        needs_lab |= np.int32(p[HEAD + SET * k]) == LAB
    one, zero = np.float32(1), np.float32(0)
    first = 0
    while first < n:
        m = min(SLICE, n - first)
        for k in range(3):
            row, into = below[k, first : first + m], x[k]
            if linear:
                for i in range(m):
                    into[i] = encoded(clipped(row[i]))
            else:
                for i in range(m):
                    into[i] = row[i]
        if needs_lab:
            l0, a0, b0 = lab[0], lab[1], lab[2]
            _decode_rows(m, x, lab)
            for i in range(m):
                l0[i], a0[i], b0[i] = lab_of_light(l0[i], a0[i], b0[i])
        if not ranged:
            apply_set(p, HEAD, m, x, lab, y, light)
            for k in range(3):
                row, out = (y[k] if p[COMPONENTS + k] > zero else x[k]), src[k, first : first + m]
                for i in range(m):
                    out[i] = row[i]
        else:
            l0, a0, b0 = lab[0], lab[1], lab[2]
            for i in range(m):
                total[i] = zero
            for k in range(1, sets):
                row, at = weights[k - 1], HEAD + SET * k
                for i in range(m):
                    row[i] = caught(p, at, l0[i], a0[i], b0[i])
                for i in range(m):
                    total[i] += row[i]
            # What several ranges have is shared by weight; what is left of it stays, or is changed by the adjustment's own settings.
            for i in range(m):
                total[i] = one / total[i] if total[i] > one else one
            for k in range(1, sets):
                row = weights[k - 1]
                for i in range(m):
                    row[i] *= total[i]
            rest = p[REST] > zero
            if rest:
                for i in range(m):
                    total[i] = one
                for k in range(1, sets):
                    row = weights[k - 1]
                    for i in range(m):
                        total[i] -= row[i]
            for k in range(3):
                out, row = src[k, first : first + m], x[k]
                for i in range(m):
                    out[i] = row[i]
            for s in range(0 if rest else 1, sets):
                share = total if s == 0 else weights[s - 1]
                # Few colours are in a range: only those are worked out.
                count = 0
                for i in range(m):
                    mine[np.uint64(count)] = i
                    count += 1 if share[i] > zero else 0
                for k in range(3):
                    row, some, of, these = x[k], picked[k], lab[k], picked_lab[k]
                    for j in range(count):
                        some[j] = row[mine[j]]
                        these[j] = of[mine[j]]
                apply_set(p, HEAD + SET * s, count, picked, picked_lab, y, light)
                for k in range(3):
                    if p[COMPONENTS + k] > zero:
                        out, some, new = src[k, first : first + m], picked[k], y[k]
                        for j in range(count):
                            i = mine[j]
                            out[i] += (new[j] - some[j]) * share[i]
        if linear:
            for k in range(3):
                out = src[k, first : first + m]
                for i in range(m):
                    out[i] = decoded(clipped(out[i]))
        first += m


@helper
def cube_rows(cube, linear, below, src, n):
    """Colours looked up in a cube of (NODES, NODES, NODES, 3) encoded ones, straight within the six tetrahedra of a cell."""
    at, near, far = u32_scratch((SLICE,)), u32_scratch((SLICE,)), u32_scratch((SLICE,))
    w0, w1, w2, w3 = f32_scratch((SLICE,)), f32_scratch((SLICE,)), f32_scratch((SLICE,)), f32_scratch((SLICE,))
    x = f32_scratch((3, SLICE))
    x0, x1, x2 = x[0], x[1], x[2]
    one, side = np.float32(1), np.float32(CELLS)
    along_x, along_y, along_z = np.uint32(ALONG_X), np.uint32(ALONG_Y), np.uint32(ALONG_Z)
    first = 0
    while first < n:
        m = min(SLICE, n - first)
        for k in range(3):
            row, into = below[k, first : first + m], x[k]
            if linear:
                for i in range(m):
                    into[i] = encoded(clipped(row[i])) * side
            else:
                for i in range(m):
                    into[i] = clipped(row[i]) * side
        # Without a branch, so that this becomes vector instructions: where a colour lies, and how far along which axes.
        for i in range(m):
            r, g, b = x0[i], x1[i], x2[i]
            cr, cg, cb = np.int32(r), np.int32(g), np.int32(b)
            cr, cg, cb = (cr if cr < LAST else LAST), (cg if cg < LAST else LAST), (cb if cb < LAST else LAST)
            fr, fg, fb = r - np.float32(cr), g - np.float32(cg), b - np.float32(cb)
            high, low = (fr if fr > fg else fg), (fr if fr < fg else fg)
            high, low = (high if high > fb else fb), (low if low < fb else fb)
            middle = fr + fg + fb - high - low
            # From the cell's first corner along the axis that is furthest on; to its last corner along the one that is least.
            step = along_x if fr == high else (along_y if fg == high else along_z)
            back = along_z if fb == low else (along_y if fg == low else along_x)
            # Of three that are the same any order will do.
            same = step == back
            step, back = (along_x if same else step), (along_z if same else back)
            begin = np.uint32(cr) * along_x + np.uint32(cg) * along_y + np.uint32(cb) * along_z
            at[i], near[i], far[i] = begin, begin + step, begin + (along_x + along_y + along_z) - back
            w0[i], w1[i], w2[i], w3[i] = one - high, high - middle, middle - low, low
        for k in range(3):
            out, c = src[k, first : first + m], np.uint64(k)
            last = np.uint64(ALONG_X + ALONG_Y + ALONG_Z) + c
            for i in range(m):
                p0 = np.uint64(at[i])
                out[i] = cube[p0 + c] * w0[i] + cube[np.uint64(near[i]) + c] * w1[i] + cube[np.uint64(far[i]) + c] * w2[i] + cube[p0 + last] * w3[i]
            if linear:
                for i in range(m):
                    out[i] = decoded(clipped(out[i]))
        first += m


@kernel(numba.void(f32[::1], f32, f32[:, ::1]), late=True)
def adjust_nodes(p, strength, values):
    """Lay a packed adjustment on (3, n) encoded colours at a strength."""
    made = f32_scratch((3, SLICE))
    first, count = 0, values.shape[1]
    while first < count:
        n = min(SLICE, count - first)
        adjust_rows(p, False, values[:, first : first + n], made, n)
        for k in range(3):
            row, new = values[k, first : first + n], made[k]
            for i in range(n):
                row[i] += (new[i] - row[i]) * strength
        first += n


@kernel(numba.void(f32[::1], i64, u16[:, ::1], u16[::1]), late=True)
def range_weights(p, which, values_u16, out):
    """The share that a range (0 the first) has of each colour once ranges share it; −1: that all have. values_u16 : (3, n) encoded."""
    sets = np.int64(p[SETS])
    for i in range(len(out)):
        l, a, b = lab_of(np.float32(values_u16[0, i]) * U, np.float32(values_u16[1, i]) * U, np.float32(values_u16[2, i]) * U)
        total, mine = np.float32(0), np.float32(0)
        for k in range(1, sets):
            w = caught(p, HEAD + SET * k, l, a, b)
            total += w
            if k - 1 == which:
                mine = w
        out[i] = quantised(clipped(total) if which < 0 else (mine / total if total > np.float32(1) else mine))
