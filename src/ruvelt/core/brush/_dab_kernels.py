"""The loops of a stroke: dabs raise coverage, coverage becomes paint. Coverage is per stroke, so strength caps and flow builds up."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel, u16_at
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8 = numba.float32, numba.int32, numba.int64, numba.uint8
CHUNK = 65536
FADE = np.float32(FACING_FADE_COS)


@inline
def _falloff(d, hardness):
    """Weight at distance d (radii): 1 up to `hardness`, then a smoothstep down to 0 at 1."""
    if d <= hardness:
        return np.float32(1)
    t = (d - hardness) / (np.float32(1) - hardness)
    return np.float32(1) - t * t * (np.float32(3) - np.float32(2) * t)


@inline
def _raise(coverage, slot, cap, share):
    c = coverage[slot]
    if cap > c:
        coverage[slot] = c + (cap - c) * share


@inline
def _tile(slot, square):
    local = slot & 65535
    if square:
        return ((local >> 12) << 4) | ((local & 255) >> 4)
    return local >> 8


@kernel(
    numba.void(
        f32[:, ::1],
        f32[::1],
        numba.float64,
        i32[::1],
        i32[::1],
        i32[::1],
        f32[:, ::1],
        numba.int8[:, ::1],
        u8[::1],
        f32,
        numba.boolean,
        i32,
        i32,
        f32[::1],
        u8[:, ::1],
    )
)
def ball_dabs(dabs, low, cell, dims, start, slot, xyz, normal, allowed, spacing, square, z_first, z_last, coverage, dirty):
    """Raise coverage of the samples inside each dab's ball, dab after dab, in the grid's layers z_first … z_last.

    dabs : (n, 18), see path.BALL_COLUMNS; allowed : (slots,) 0 for samples no stroke may touch, or size 0
    coverage : (slots,) float32 0–1; dirty : (chunks, 256) marks tiles that changed
    """
    one = np.float32(1)
    for d in range(len(dabs)):
        cx, cy, cz, r = dabs[d, 0], dabs[d, 1], dabs[d, 2], dabs[d, 3]
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        # Never thinner than the samples: a tiny brush still touches the sample under it.
        r = max(r, np.float32(0.6) * spacing)
        nx, ny, nz = dabs[d, 4], dabs[d, 5], dabs[d, 6]
        roundness, flow, cap = dabs[d, 13], dabs[d, 15], dabs[d, 16]
        # The edge fades over one sample at least, so that a hard edge does not break into stairs.
        hardness = max(np.float32(0), min(dabs[d, 14], one - spacing / r))
        facing = dabs[d, 17] > 0
        is_round = roundness >= np.float32(0.999)
        inv_r = one / r
        inv_short = inv_r / roundness
        r_sq = r * r
        x0 = min(max(int(np.floor((cx - r - low[0]) / cell)), 0), dims[0] - 1)
        x1 = min(max(int(np.floor((cx + r - low[0]) / cell)), 0), dims[0] - 1)
        y0 = min(max(int(np.floor((cy - r - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((cy + r - low[1]) / cell)), 0), dims[1] - 1)
        z0 = max(min(max(int(np.floor((cz - r - low[2]) / cell)), 0), dims[2] - 1), z_first)
        z1 = min(min(max(int(np.floor((cz + r - low[2]) / cell)), 0), dims[2] - 1), z_last)
        for z in range(z0, z1 + 1):
            zl = np.float32(low[2] + z * cell)
            gz = max(zl - cz, cz - zl - np.float32(cell), np.float32(0))
            for y in range(y0, y1 + 1):
                yl = np.float32(low[1] + y * cell)
                gy = max(yl - cy, cy - yl - np.float32(cell), np.float32(0))
                rest = r_sq - gz * gz - gy * gy
                if rest < 0:
                    continue
                # Only the cells of this row that the ball reaches.
                reach = np.sqrt(rest)
                xa = min(max(int(np.floor((cx - reach - low[0]) / cell)), x0), x1)
                xb = min(max(int(np.floor((cx + reach - low[0]) / cell)), x0), x1)
                row = (z * dims[1] + y) * dims[0]
                for j in range(start[row + xa], start[row + xb + 1]):
                    dx, dy, dz = xyz[j, 0] - cx, xyz[j, 1] - cy, xyz[j, 2] - cz
                    d_sq = dx * dx + dy * dy + dz * dz
                    if d_sq >= r_sq:
                        continue
                    s = slot[j]
                    if len(allowed) and allowed[s] == 0:
                        continue
                    if is_round:
                        dist = np.sqrt(d_sq) * inv_r
                    else:
                        a = (dx * dabs[d, 7] + dy * dabs[d, 8] + dz * dabs[d, 9]) * inv_r
                        b = (dx * dabs[d, 10] + dy * dabs[d, 11] + dz * dabs[d, 12]) * inv_short
                        h = (dx * nx + dy * ny + dz * nz) * inv_r
                        dist = np.sqrt(a * a + b * b + h * h)
                        if dist >= one:
                            continue
                    w = _falloff(dist, hardness)
                    if facing:
                        cosine = (normal[j, 0] * nx + normal[j, 1] * ny + normal[j, 2] * nz) * np.float32(1 / 127)
                        if cosine <= 0:
                            continue
                        if cosine < FADE:
                            w *= cosine / FADE
                    _raise(coverage, s, cap, flow * w)
                    dirty[s >> 16, _tile(s, square)] = 1


@kernel(numba.void(f32[:, ::1], i32, i32[::1], u8[::1], f32[::1], u8[:, ::1]))
def disc_dabs(dabs, side, owner, allowed, coverage, dirty):
    """Raise coverage of covered texels inside each disc of the flat sheet. dabs : (n, 9), see path.DISC_COLUMNS."""
    one = np.float32(1)
    chunks = side // 256
    for d in range(len(dabs)):
        cx, cy, r = dabs[d, 0], dabs[d, 1], dabs[d, 2]
        if not (r > 0 and np.isfinite(cx + cy + r)):
            continue
        r = max(r, np.float32(0.75))
        hardness = max(np.float32(0), min(dabs[d, 6], one - one / r))
        cos, sin, roundness, flow, cap = dabs[d, 3], dabs[d, 4], dabs[d, 5], dabs[d, 7], dabs[d, 8]
        for y in range(max(int(np.floor(cy - r)), 0), min(int(np.floor(cy + r)), side - 1) + 1):
            for x in range(max(int(np.floor(cx - r)), 0), min(int(np.floor(cx + r)), side - 1) + 1):
                dx, dy = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
                a = (dx * cos + dy * sin) / r
                b = (dy * cos - dx * sin) / (r * roundness)
                dist = np.sqrt(a * a + b * b)
                if dist >= one:
                    continue
                s = ((y >> 8) * chunks + (x >> 8)) * CHUNK + ((y & 255) << 8) + (x & 255)
                if owner[s] < 0 or (len(allowed) and allowed[s] == 0):
                    continue
                _raise(coverage, s, cap, flow * _falloff(dist, hardness))
                dirty[s >> 16, _tile(s, True)] = 1


@kernel(i64(u8[::1], numba.boolean, i32[::1], i32[::1]))
def tile_runs(tiles, square, starts, counts):
    """Marked tiles of a chunk as runs of neighbouring samples, none longer than a block of 1024; returns how many."""
    n = 0
    if not square:
        t = 0
        while t < 256:
            if tiles[t]:
                first = t
                while t < 256 and tiles[t] and t - first < 4:
                    t += 1
                starts[n], counts[n] = first * 256, (t - first) * 256
                n += 1
            else:
                t += 1
        return n
    for row in range(16):
        full = True
        for t in range(16):
            full = full and tiles[row * 16 + t] != 0
        if full:
            for quarter in range(4):
                starts[n], counts[n] = row * 4096 + quarter * 1024, 1024
                n += 1
            continue
        for y in range(16):
            t = 0
            while t < 16:
                if tiles[row * 16 + t]:
                    first = t
                    while t < 16 and tiles[row * 16 + t]:
                        t += 1
                    starts[n], counts[n] = row * 4096 + y * 256 + first * 16, (t - first) * 16
                    n += 1
                else:
                    t += 1
    return n


@kernel(numba.void(i32[::1], i32[::1], i64, f32[::1], numba.uint16[::1], numba.boolean, i32, numba.uint16[:, ::1]))
def paint_runs(starts, counts, base, coverage, codes, erase, comps, out):
    """Lay a colour over the plane as it was before the stroke (address `base`, 0 when the chunk did not exist), with coverage as alpha.

    coverage : (65536,) of this chunk; codes : (comps,) uint16; out : (comps + 1, 65536) uint16
    """
    full = np.float32(65535)
    half = np.float32(0.5)
    for r in range(len(starts)):
        for i in range(starts[r], starts[r] + counts[r]):
            c = coverage[i]
            if c <= 0:
                continue
            under = np.float32(0)
            if base != 0:
                plane = u16_at(base, CHUNK * (comps + 1))
                under = np.float32(plane[comps * CHUNK + i]) / full
            if erase:
                out[comps, i] = np.uint16(under * (np.float32(1) - c) * full + half)
                continue
            keep = under * (np.float32(1) - c)
            total = c + keep
            for k in range(comps):
                if base == 0 or keep == 0:
                    out[k, i] = codes[k]
                else:
                    below = np.float32(u16_at(base, CHUNK * (comps + 1))[k * CHUNK + i])
                    out[k, i] = np.uint16((c * np.float32(codes[k]) + keep * below) / total + half)
            out[comps, i] = np.uint16(total * full + half)


@kernel(numba.void(i32[::1], numba.int64, numba.int64, f32, u8[::1], f32[::1], u8[:, ::1], numba.boolean))
def flood_coverage(owner, first, last, strength, marked, coverage, dirty, square):
    """Set coverage of covered, marked samples first … last to `strength`."""
    for s in range(first, last):
        if owner[s] >= 0 and marked[s]:
            coverage[s] = strength
            dirty[s >> 16, _tile(s, square)] = 1
