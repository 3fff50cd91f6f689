"""Loops of tools that look elsewhere on the surface: clone and smear find other samples, soften takes the mean of those around."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel, u16_at
from ruvelt.core.samples.grid import search
from ruvelt.core.tolerances import FACING_FADE_COS

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16
CHUNK = 65536
FADE = np.float32(FACING_FADE_COS)
#: Leaps over a layout before a search begins anew in space.
STRIDES = 8
_GRID = (f32[::1], numba.float64, i32[::1], i32[::1], i32[::1], f32[:, ::1])


@inline
def _slot(x, y, across):
    return ((y >> 8) * across + (x >> 8)) * CHUNK + ((y & 255) << 8) + (x & 255)


@inline
def _off(position, s, px, py, pz):
    dx, dy, dz = position[s, 0] - px, position[s, 1] - py, position[s, 2] - pz
    return dx * dx + dy * dy + dz * dz


@inline
def _walk(px, py, pz, s, reach, position, face, side):
    """The texel nearest to a point, leapt to from texel `s` by the slopes of the layout; −1 where that leads off an island or too far away.

    A point off the surface finds its foot on it.
    """
    across = side >> 8
    chunk = s >> 16
    x, y = (chunk % across) * 256 + (s & 255), (chunk // across) * 256 + ((s & 65535) >> 8)
    for _ in range(STRIDES):
        r = _slot(x + 1, y, across) if x + 1 < side else -1
        sign_x = np.float32(1)
        if r < 0 or face[r] < 0:
            r, sign_x = (_slot(x - 1, y, across) if x > 0 else -1), np.float32(-1)
        d = _slot(x, y + 1, across) if y + 1 < side else -1
        sign_y = np.float32(1)
        if d < 0 or face[d] < 0:
            d, sign_y = (_slot(x, y - 1, across) if y > 0 else -1), np.float32(-1)
        if r < 0 or d < 0 or face[r] < 0 or face[d] < 0:
            return np.int64(-1)
        ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
        ax, ay, az = position[r, 0] - ox, position[r, 1] - oy, position[r, 2] - oz
        bx, by, bz = position[d, 0] - ox, position[d, 1] - oy, position[d, 2] - oz
        wx, wy, wz = px - ox, py - oy, pz - oz
        aa, bb, ab = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz
        aw, bw = ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz
        det = aa * bb - ab * ab
        if not det > np.float32(1e-3) * aa * bb:
            return np.int64(-1)
        u, v = sign_x * (aw * bb - bw * ab) / det, sign_y * (bw * aa - aw * ab) / det
        if abs(u) <= np.float32(0.5) and abs(v) <= np.float32(0.5):
            return s if wx * wx + wy * wy + wz * wz <= reach * reach else np.int64(-1)
        if not (abs(u) < 200 and abs(v) < 200):
            return np.int64(-1)
        x, y = x + np.int64(np.floor(u + np.float32(0.5))), y + np.int64(np.floor(v + np.float32(0.5)))
        if x < 0 or y < 0 or x >= side or y >= side:
            return np.int64(-1)
        s = np.int64(_slot(x, y, across))
        if face[s] < 0:
            return np.int64(-1)
    return np.int64(-1)


@inline
def _beside(s, a, b, face, side):
    """The texel that lies from `s` as `b` lies from `a`; −1 where there is none."""
    across = side >> 8
    dx = ((b >> 16) % across - (a >> 16) % across + (s >> 16) % across) * 256 + (b & 255) - (a & 255) + (s & 255)
    dy = ((b >> 16) // across - (a >> 16) // across + (s >> 16) // across) * 256 + ((b & 65535) >> 8) - ((a & 65535) >> 8) + ((s & 65535) >> 8)
    if dx < 0 or dy < 0 or dx >= side or dy >= side:
        return np.int64(-1)
    t = np.int64(_slot(dx, dy, across))
    return t if face[t] >= 0 else np.int64(-1)


@inline
def _locate(px, py, pz, guess, other, reach, position, face, side, low, cell, dims, start, slot, xyz):
    """Slot of the sample nearest to a point: beside `guess` or `other` on a sheet where the layout leads there, else by the grid."""
    found = np.int64(-1)
    if side > 0:
        # The second guess is what a sample beside it found, across a seam.
        for turn in range(2):
            begin = guess if turn == 0 else other
            if begin >= 0 and found < 0:
                found = _walk(px, py, pz, begin, reach, position, face, side)
    if found < 0:
        found = np.int64(search(px, py, pz, reach, low, cell, dims, start, slot, xyz))
    return found


@kernel(numba.void(i32[::1], f32[:, ::1], i32[::1], i32, f32[::1], f32[::1], f32[::1], f32, *_GRID, i32[::1]), late=True)
def clone_slots(slots, position, face, side, offset, begun, mirrored, reach, low, cell, dims, start, slot, xyz, out):
    """Where clone reads for samples: their place moved by `offset`, on the far side of a mirror plane by its reflection; itself off the surface.

    side : of the sheet, 0 for vertices; begun : (3,) where the stroke began; mirrored : (3,) above 0 for planes that mirror
    """
    flip = np.empty(3, np.float32)
    last, before = np.int64(-1), np.int64(-1)
    for at in range(len(slots)):
        s = slots[at]
        for k in range(3):
            home = begun[k] if begun[k] != 0 else np.float32(1)
            flip[k] = np.float32(-1) if mirrored[k] > 0 and position[s, k] * home < 0 else np.float32(1)
        px = position[s, 0] + offset[0] * flip[0]
        py = position[s, 1] + offset[1] * flip[1]
        pz = position[s, 2] + offset[2] * flip[2]
        guess = last
        if side > 0 and last >= 0:
            # Neighbours read from neighbours.
            guess = _beside(np.int64(s), before, last, face, side)
        found = _locate(px, py, pz, guess, last, reach, position, face, side, low, cell, dims, start, slot, xyz)
        out[at] = found if found >= 0 else s
        last, before = found, np.int64(s)


@inline
def _exact(px, py, pz, s, position, face, side):
    """Texel coordinates (x, y) of a point beside texel `s`, with what lies between texels."""
    across = side >> 8
    chunk = s >> 16
    x, y = (chunk % across) * 256 + (s & 255), (chunk // across) * 256 + ((s & 65535) >> 8)
    r, sign_x = (_slot(x + 1, y, across), np.float32(1)) if x + 1 < side else (_slot(x - 1, y, across), np.float32(-1))
    if face[r] < 0 and x > 0:
        r, sign_x = _slot(x - 1, y, across), np.float32(-1)
    d, sign_y = (_slot(x, y + 1, across), np.float32(1)) if y + 1 < side else (_slot(x, y - 1, across), np.float32(-1))
    if face[d] < 0 and y > 0:
        d, sign_y = _slot(x, y - 1, across), np.float32(-1)
    u, v = np.float32(0), np.float32(0)
    if face[r] >= 0 and face[d] >= 0:
        ax, ay, az = position[r, 0] - position[s, 0], position[r, 1] - position[s, 1], position[r, 2] - position[s, 2]
        bx, by, bz = position[d, 0] - position[s, 0], position[d, 1] - position[s, 1], position[d, 2] - position[s, 2]
        wx, wy, wz = px - position[s, 0], py - position[s, 1], pz - position[s, 2]
        aa, bb, ab = ax * ax + ay * ay + az * az, bx * bx + by * by + bz * bz, ax * bx + ay * by + az * bz
        aw, bw = ax * wx + ay * wy + az * wz, bx * wx + by * wy + bz * wz
        det = aa * bb - ab * ab
        if det > np.float32(1e-3) * aa * bb:
            u, v = sign_x * (aw * bb - bw * ab) / det, sign_y * (bw * aa - aw * ab) / det
    return np.float32(x) + u, np.float32(y) + v


@kernel(numba.void(u8[::1], i32, i32, f32[:, ::1], i32[::1], f32[::1], f32[::1], f32[::1], f32, *_GRID, i32[::1]), late=True)
def clone_tiles(tiles, chunk, side, position, face, offset, begun, mirrored, reach, low, cell, dims, start, slot, xyz, out):
    """The same over marked tiles of a sheet's chunk: searched at every fourth texel each way, and between them where the layouts run alike.

    out : (65536,) slots that the samples of the chunk read, −1 where there is no sample
    """
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    nx, ny = np.zeros((5, 5), np.float32), np.zeros((5, 5), np.float32)
    known = np.zeros((5, 5), np.int64)
    flip = np.empty(3, np.float32)
    last = np.int64(-1)
    for tile in range(256):
        if tiles[tile] == 0:
            continue
        bx, by = left + (tile & 15) * 16, top + (tile >> 4) * 16
        for j in range(5):
            for i in range(5):
                x, y = bx + 4 * i, by + 4 * j
                s = np.int64(_slot(x, y, across)) if x < side and y < side else np.int64(-1)
                known[j, i] = -1
                if s < 0 or face[s] < 0:
                    continue
                side_bits = 0
                for k in range(3):
                    home = begun[k] if begun[k] != 0 else np.float32(1)
                    flip[k] = np.float32(-1) if mirrored[k] > 0 and position[s, k] * home < 0 else np.float32(1)
                    side_bits = side_bits * 2 + (1 if flip[k] < 0 else 0)
                px, py, pz = position[s, 0] + offset[0] * flip[0], position[s, 1] + offset[1] * flip[1], position[s, 2] + offset[2] * flip[2]
                q = _locate(px, py, pz, last, np.int64(-1), reach, position, face, side, low, cell, dims, start, slot, xyz)
                if q >= 0:
                    last = q
                    nx[j, i], ny[j, i] = _exact(px, py, pz, q, position, face, side)
                    known[j, i] = side_bits
        for v in range(16):
            for u in range(16):
                s = np.int64(_slot(bx + u, by + v, across))
                local = s & 65535
                out[local] = -1
                if face[s] < 0:
                    continue
                i, j = u >> 2, v >> 2
                bits = known[j, i]
                found = np.int64(-1)
                if bits >= 0 and bits == known[j, i + 1] and bits == known[j + 1, i] and bits == known[j + 1, i + 1]:
                    # Where the four corners of a square read from a parallelogram, so does what lies between them.
                    ex = nx[j, i] + nx[j + 1, i + 1] - nx[j, i + 1] - nx[j + 1, i]
                    ey = ny[j, i] + ny[j + 1, i + 1] - ny[j, i + 1] - ny[j + 1, i]
                    far = abs(nx[j, i + 1] - nx[j, i]) + abs(ny[j, i + 1] - ny[j, i]) + abs(nx[j + 1, i] - nx[j, i]) + abs(ny[j + 1, i] - ny[j, i])
                    if abs(ex) + abs(ey) < np.float32(0.25) and far < np.float32(64):
                        fx, fy = np.float32(u & 3) * np.float32(0.25), np.float32(v & 3) * np.float32(0.25)
                        x = nx[j, i] + (nx[j, i + 1] - nx[j, i]) * fx + (nx[j + 1, i] - nx[j, i]) * fy + ex * fx * fy
                        y = ny[j, i] + (ny[j, i + 1] - ny[j, i]) * fx + (ny[j + 1, i] - ny[j, i]) * fy + ey * fx * fy
                        tx, ty = np.int64(np.floor(x + np.float32(0.5))), np.int64(np.floor(y + np.float32(0.5)))
                        if 0 <= tx < side and 0 <= ty < side:
                            t = np.int64(_slot(tx, ty, across))
                            if face[t] >= 0:
                                found = t
                if found < 0:
                    for k in range(3):
                        home = begun[k] if begun[k] != 0 else np.float32(1)
                        flip[k] = np.float32(-1) if mirrored[k] > 0 and position[s, k] * home < 0 else np.float32(1)
                    px, py, pz = position[s, 0] + offset[0] * flip[0], position[s, 1] + offset[1] * flip[1], position[s, 2] + offset[2] * flip[2]
                    found = _locate(px, py, pz, last, np.int64(-1), reach, position, face, side, low, cell, dims, start, slot, xyz)
                out[local] = found if found >= 0 else s


@kernel(numba.void(i32[::1], i32[::1], i64[::1], i32, u16[:, ::1]), late=True)
def fetch_codes(slots, sources, pictures, comps, out):
    """Codes of other samples for samples of one chunk. pictures : (chunks,) addresses of (comps, 65536) uint16."""
    for at in range(len(slots)):
        codes = u16_at(pictures[sources[at] >> 16], CHUNK * comps)
        for k in range(comps):
            out[k, slots[at] & 65535] = codes[k * CHUNK + (sources[at] & 65535)]


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


@kernel(numba.void(i32[::1], i32, u16[:, ::1]), late=True)
def divide_alpha(slots, comps, out):
    """Take alpha, the last of (comps + 1, 65536), out of the colours of samples."""
    for at in range(len(slots)):
        i = slots[at] & 65535
        gain = np.float32(65535) / np.float32(max(out[comps, i], 1))
        for k in range(comps):
            out[k, i] = np.uint16(min(np.float32(out[k, i]) * gain, np.float32(65535)) + np.float32(0.5))


# -- soften ---------------------------------------------------------------------------------------------------------------------


@kernel(i64(i32[::1], f32[:, ::1], numba.int8[:, ::1], f32[::1], i64, i32[::1], i32[::1], f32[:, ::1], f32[:, ::1], f32[::1]), late=True)
def gather_clumps(start, xyz, normal, areas, most, clump_start, first, middle, facing, mass):
    """Clumps of up to `most` neighbouring samples of a cell that face one way; returns how many.

    clump_start : (cells + 1,); first : (clumps + 1,) into the sorted samples; middle, facing : (3, clumps); mass : their area
    """
    n = 0
    for c in range(len(start) - 1):
        clump_start[c] = n
        j = start[c]
        while j < start[c + 1]:
            first[n] = j
            sx, sy, sz, total = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            nx, ny, nz = np.float32(normal[0, j]), np.float32(normal[1, j]), np.float32(normal[2, j])
            fx, fy, fz = np.float32(0), np.float32(0), np.float32(0)
            count = 0
            while j < start[c + 1] and count < most:
                if normal[0, j] * nx + normal[1, j] * ny + normal[2, j] * nz <= 0:
                    break
                w = areas[j]
                sx, sy, sz, total = sx + xyz[0, j] * w, sy + xyz[1, j] * w, sz + xyz[2, j] * w, total + w
                fx, fy, fz = fx + normal[0, j], fy + normal[1, j], fz + normal[2, j]
                j += 1
                count += 1
            if count == 0:
                # A sample without a normal stands alone.
                sx, sy, sz, total = xyz[0, j], xyz[1, j], xyz[2, j], np.float32(1)
                j += 1
            scale = np.float32(1) / total if total > 0 else np.float32(0)
            middle[0, n], middle[1, n], middle[2, n] = sx * scale, sy * scale, sz * scale
            facing[0, n], facing[1, n], facing[2, n] = fx, fy, fz
            mass[n] = total
            n += 1
    clump_start[len(start) - 1] = n
    first[n] = start[len(start) - 1]
    return n


@kernel(
    numba.void(
        i32[::1], f32[:, ::1], f32, f32[::1], numba.float64, i32[::1], i32[::1], i32[::1], i32[::1], f32[::1], i64[::1], i32, u8[::1], f32[:, ::1]
    ),
    late=True,
)
def fill_clumps(slots, position, radius, low, cell, dims, slot, clump_start, first, areas, pictures, comps, done, values):
    """Means of a picture over the clumps around samples, once for each cell. done : (cells,); values : (4, clumps) float32."""
    for at in range(len(slots)):
        s = slots[at]
        x0 = min(max(int(np.floor((position[s, 0] - radius - low[0]) / cell)), 0), dims[0] - 1)
        x1 = min(max(int(np.floor((position[s, 0] + radius - low[0]) / cell)), 0), dims[0] - 1)
        y0 = min(max(int(np.floor((position[s, 1] - radius - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((position[s, 1] + radius - low[1]) / cell)), 0), dims[1] - 1)
        z0 = min(max(int(np.floor((position[s, 2] - radius - low[2]) / cell)), 0), dims[2] - 1)
        z1 = min(max(int(np.floor((position[s, 2] + radius - low[2]) / cell)), 0), dims[2] - 1)
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                for c in range(row + x0, row + x1 + 1):
                    if done[c]:
                        continue
                    done[c] = 1
                    for n in range(clump_start[c], clump_start[c + 1]):
                        total = np.float32(0)
                        for j in range(first[n], first[n + 1]):
                            w = areas[j]
                            codes = u16_at(pictures[slot[j] >> 16], CHUNK * comps)
                            for k in range(comps):
                                values[k, n] += w * np.float32(codes[k * CHUNK + (slot[j] & 65535)])
                            total += w
                        for k in range(comps):
                            values[k, n] /= total if total > 0 else np.float32(1)


@inline
def _mean_around(px, py, pz, nx, ny, nz, radius, low, cell, dims, clump_start, middle, facing, mass, values, sums):
    """sums[:4] = weighted means of the clumps within `radius` that face one way, sums[4] the weight."""
    inv_sq = np.float32(1) / (radius * radius)
    one, zero = np.float32(1), np.float32(0)
    y0 = min(max(int(np.floor((py - radius - low[1]) / cell)), 0), dims[1] - 1)
    y1 = min(max(int(np.floor((py + radius - low[1]) / cell)), 0), dims[1] - 1)
    z0 = min(max(int(np.floor((pz - radius - low[2]) / cell)), 0), dims[2] - 1)
    z1 = min(max(int(np.floor((pz + radius - low[2]) / cell)), 0), dims[2] - 1)
    total, a, b, c, e = zero, zero, zero, zero, zero
    for z in range(z0, z1 + 1):
        gz = max(low[2] + np.float32(z * cell) - pz, pz - low[2] - np.float32((z + 1) * cell), zero)
        for y in range(y0, y1 + 1):
            gy = max(low[1] + np.float32(y * cell) - py, py - low[1] - np.float32((y + 1) * cell), zero)
            rest = radius * radius - gz * gz - gy * gy
            if rest < zero:
                continue
            half = np.sqrt(rest)
            x0 = min(max(int(np.floor((px - half - low[0]) / cell)), 0), dims[0] - 1)
            x1 = min(max(int(np.floor((px + half - low[0]) / cell)), 0), dims[0] - 1)
            row = (z * dims[1] + y) * dims[0]
            for j in range(np.uint64(clump_start[row + x0]), np.uint64(clump_start[row + x1 + 1])):
                dx, dy, dz = middle[0, j] - px, middle[1, j] - py, middle[2, j] - pz
                w = one - (dx * dx + dy * dy + dz * dz) * inv_sq
                w = (w if w > zero else zero) * mass[j]
                w = w if facing[0, j] * nx + facing[1, j] * ny + facing[2, j] * nz > zero else zero
                total += w
                a += w * values[0, j]
                b += w * values[1, j]
                c += w * values[2, j]
                e += w * values[3, j]
    if total > zero:
        sums[0], sums[1], sums[2], sums[3] = a / total, b / total, c / total, e / total
    sums[4] = total


_CLUMPS = (f32, f32[::1], numba.float64, i32[::1], i32[::1], f32[:, ::1], f32[:, ::1], f32[::1], f32[:, ::1])
_LOOSE = {"reassoc", "contract", "nsz"}


@kernel(numba.void(i32[::1], f32[:, ::1], f32[:, ::1], *_CLUMPS, i64[::1], i32, u16[:, ::1]), late=True, fastmath=_LOOSE)
def soften_codes(slots, position, normal, radius, low, cell, dims, clump_start, middle, facing, mass, values, pictures, comps, out):
    """Weighted mean of a picture over the surface around samples: its clumps within `radius` that face a sample's way.

    pictures : (chunks,) addresses, for samples that have no neighbours; out : (comps, 65536) of one chunk
    """
    sums = np.zeros(5, np.float32)
    for at in range(len(slots)):
        s = slots[at]
        local = s & 65535
        own = u16_at(pictures[s >> 16], CHUNK * comps)
        px, py, pz, nx, ny, nz = position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2]
        _mean_around(px, py, pz, nx, ny, nz, radius, low, cell, dims, clump_start, middle, facing, mass, values, sums)
        for k in range(comps):
            mean = np.uint16(min(sums[k], np.float32(65535)) + np.float32(0.5))
            out[k, local] = mean if sums[4] > 0 else own[k * CHUNK + local]


@kernel(numba.void(u8[::1], i32, i32, i32, i32[::1], f32[:, ::1], f32[:, ::1], *_CLUMPS, i64[::1], i32, u16[:, ::1]), late=True, fastmath=_LOOSE)
def soften_tiles(
    tiles, chunk, step, side, face, position, normal, radius, low, cell, dims, clump_start, middle, facing, mass, values, pictures, comps, out
):  # fmt: skip
    """The same over marked tiles of a sheet's chunk: every `step`-th texel each way, and straight between them where the surface is.

    A mean over many texels bends too little between neighbours to show; at edges of islands and bends every texel has its own.
    """
    one, zero = np.float32(1), np.float32(0)
    across = side >> 8
    n = 16 // step + 1
    node, known = np.zeros((n, n, 5), np.float32), np.zeros((n, n), np.int64)
    sums = np.zeros(5, np.float32)
    left, top = (chunk % across) * 256, (chunk // across) * 256
    own = u16_at(pictures[chunk], CHUNK * comps)
    for tile in range(256):
        if tiles[tile] == 0:
            continue
        bx, by = left + (tile & 15) * 16, top + (tile >> 4) * 16
        for j in range(n):
            for i in range(n):
                x, y = bx + i * step, by + j * step
                s = np.int64(_slot(x, y, across)) if x < side and y < side else np.int64(-1)
                known[j, i] = -1
                if s >= 0 and face[s] >= 0:
                    _mean_around(
                        position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2], radius, low, cell, dims,
                        clump_start, middle, facing, mass, values, sums,
                    )  # fmt: skip
                    if sums[4] > zero:
                        known[j, i] = s
                        for k in range(4):
                            node[j, i, k] = sums[k]
        for v in range(16):
            for u in range(16):
                s = np.int64(_slot(bx + u, by + v, across))
                if face[s] < 0:
                    continue
                local = s & 65535
                i, j = u // step, v // step
                a, b, c, d = known[j, i], known[j, i + 1], known[j + 1, i], known[j + 1, i + 1]
                between = a >= 0 and b >= 0 and c >= 0 and d >= 0
                fx, fy = np.float32(u - i * step) / np.float32(step), np.float32(v - j * step) / np.float32(step)
                if between:
                    # The texel must lie where its neighbours say: else the layout folds between them.
                    off, span = zero, zero
                    for k in range(3):
                        upper = position[a, k] * (one - fx) + position[b, k] * fx
                        lower = position[c, k] * (one - fx) + position[d, k] * fx
                        off += (position[s, k] - upper * (one - fy) - lower * fy) ** 2
                        span += (position[a, k] - position[d, k]) ** 2
                    between = off * np.float32(64) <= span
                if between:
                    for k in range(comps):
                        upper = node[j, i, k] * (one - fx) + node[j, i + 1, k] * fx
                        lower = node[j + 1, i, k] * (one - fx) + node[j + 1, i + 1, k] * fx
                        out[k, local] = np.uint16(min(upper * (one - fy) + lower * fy, np.float32(65535)) + np.float32(0.5))
                    continue
                _mean_around(
                    position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2], radius, low, cell, dims,
                    clump_start, middle, facing, mass, values, sums,
                )  # fmt: skip
                for k in range(comps):
                    mean = np.uint16(min(sums[k], np.float32(65535)) + np.float32(0.5))
                    out[k, local] = mean if sums[4] > zero else own[k * CHUNK + local]


# -- smear ----------------------------------------------------------------------------------------------------------------------


@kernel(
    i64(f32[:, ::1], numba.boolean, i32[::1], i32, *_GRID, u8[::1], f32, u8[::1], i32[::1]),
    late=True,
)
def smear_reach(dabs, flat, face, side, low, cell, dims, start, slot, xyz, allowed, spacing, fresh, out):
    """Samples under any of a batch's dabs, each once, marked in `fresh`; returns how many, at most len(out).

    dabs : (n, 18) balls; flat : they lie in the plane of the sheet, in texels; fresh : (slots,)
    """
    n = 0
    across = side >> 8
    for d in range(len(dabs)):
        cx, cy, cz, r = dabs[d, 0], dabs[d, 1], dabs[d, 2], dabs[d, 3]
        if not (r > 0 and np.isfinite(cx + cy + cz + r)):
            continue
        r = max(r, np.float32(0.75) if flat else np.float32(0.6) * spacing)
        dabs[d, 3] = r
        if flat:
            for y in range(max(int(np.floor(cy - r)), 0), min(int(np.floor(cy + r)), side - 1) + 1):
                for x in range(max(int(np.floor(cx - r)), 0), min(int(np.floor(cx + r)), side - 1) + 1):
                    dx, dy = np.float32(x) + np.float32(0.5) - cx, np.float32(y) + np.float32(0.5) - cy
                    s = _slot(x, y, across)
                    if dx * dx + dy * dy < r * r and face[s] >= 0 and fresh[s] == 0 and (len(allowed) == 0 or allowed[s] != 0) and n < len(out):
                        fresh[s] = 1
                        out[n] = s
                        n += 1
            continue
        z0 = min(max(int(np.floor((cz - r - low[2]) / cell)), 0), dims[2] - 1)
        z1 = min(max(int(np.floor((cz + r - low[2]) / cell)), 0), dims[2] - 1)
        y0 = min(max(int(np.floor((cy - r - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((cy + r - low[1]) / cell)), 0), dims[1] - 1)
        x0 = min(max(int(np.floor((cx - r - low[0]) / cell)), 0), dims[0] - 1)
        x1 = min(max(int(np.floor((cx + r - low[0]) / cell)), 0), dims[0] - 1)
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                for j in range(start[row + x0], start[row + x1 + 1]):
                    dx, dy, dz = xyz[0, j] - cx, xyz[1, j] - cy, xyz[2, j] - cz
                    if dx * dx + dy * dy + dz * dz < r * r:
                        s = slot[j]
                        if fresh[s] == 0 and (len(allowed) == 0 or allowed[s] != 0) and n < len(out):
                            fresh[s] = 1
                            out[n] = s
                            n += 1
    return n


@kernel(
    numba.void(i32[::1], f32[:, ::1], f32[:, ::1], numba.boolean, f32[:, ::1], f32[:, ::1], i32[::1], i32, *_GRID, f32[:, ::1], i32[::1],
               f32[:, ::1], i32[::1]),
    late=True,
)  # fmt: skip
def smear_trace(slots, dabs, drags, flat, position, normal, face, side, low, cell, dims, start, slot, xyz, shift, source, moved, found):
    """Where the picture at samples comes from after a batch: traced back through its dabs, the last one first, then on by earlier batches.

    drags : (n, 3) of each dab from the one before, object space (texels); shift : (slots, 3) from each sample to its source so far,
    source : (slots,) the sample there plus one, 0 for none; moved : (n, 3) and found : (n,) the same after the batch
    """
    one, zero = np.float32(1), np.float32(0)
    across = side >> 8
    last, before, last_origin = np.int64(-1), np.int64(-1), np.int64(-1)
    for at in range(len(slots)):
        s = np.int64(slots[at])
        if flat:
            chunk = s >> 16
            ox = np.float32((chunk % across) * 256 + (s & 255)) + np.float32(0.5)
            oy, oz = np.float32((chunk // across) * 256 + ((s & 65535) >> 8)) + np.float32(0.5), zero
        else:
            ox, oy, oz = position[s, 0], position[s, 1], position[s, 2]
        px, py, pz = ox, oy, oz
        farthest = zero
        for back in range(len(dabs)):
            d = len(dabs) - 1 - back
            r = dabs[d, 3]
            dx, dy, dz = px - dabs[d, 0], py - dabs[d, 1], pz - dabs[d, 2]
            off_sq = dx * dx + dy * dy + dz * dz
            if not off_sq < r * r:
                continue
            w = dabs[d, 16]
            hard = max(zero, min(dabs[d, 14], np.float32(0.98)))
            off = np.sqrt(off_sq) / r
            if off > hard:
                t = (off - hard) / (one - hard)
                w *= one - t * t * (np.float32(3) - np.float32(2) * t)
            if dabs[d, 17] > 0 and not flat:
                cosine = normal[s, 0] * dabs[d, 4] + normal[s, 1] * dabs[d, 5] + normal[s, 2] * dabs[d, 6]
                w *= min(max(cosine / FADE, zero), one)
            px, py, pz = px - w * drags[d, 0], py - w * drags[d, 1], pz - w * drags[d, 2]
            farthest = max(farthest, r)
        moved[at, 0], moved[at, 1], moved[at, 2] = shift[s, 0], shift[s, 1], shift[s, 2]
        found[at] = source[s]
        if px == ox and py == oy and pz == oz:
            continue
        # What comes here lay there before this batch; where that is off the surface, what is here stays.
        if flat:
            x, y = int(np.floor(px)), int(np.floor(py))
            q = np.int64(_slot(x, y, across)) if 0 <= x < side and 0 <= y < side else np.int64(-1)
            if q >= 0 and face[q] < 0:
                q = np.int64(-1)
        else:
            guess = _beside(s, before, last, face, side) if side > 0 and last >= 0 else s
            q = _locate(px, py, pz, guess if guess >= 0 else s, last, farthest, position, face, side, low, cell, dims, start, slot, xyz)
            last, before = q, s
            if q >= 0 and normal[q, 0] * normal[s, 0] + normal[q, 1] * normal[s, 1] + normal[q, 2] * normal[s, 2] <= 0:
                q = np.int64(-1)
        if q < 0:
            continue
        mx, my, mz = px - ox + shift[q, 0], py - oy + shift[q, 1], pz - oz + shift[q, 2]
        origin = np.int64(source[q]) - 1 if source[q] > 0 else q
        if flat:
            x, y = int(np.floor(ox + mx)), int(np.floor(oy + my))
            t_slot = np.int64(_slot(x, y, across)) if 0 <= x < side and 0 <= y < side else np.int64(-1)
            if t_slot >= 0 and face[t_slot] >= 0:
                origin = t_slot
        elif side > 0:
            closer = np.int64(-1)
            for turn in range(2):
                begin = origin if turn == 0 else last_origin
                if turn == 0 or (last_origin >= 0 and closer < 0):
                    closer = _walk(ox + mx, oy + my, oz + mz, begin, farthest, position, face, side)
            origin = closer if closer >= 0 else origin
            last_origin = origin
        moved[at, 0], moved[at, 1], moved[at, 2] = mx, my, mz
        found[at] = origin + 1


@kernel(numba.void(i32[::1], f32[:, ::1], i32[::1], f32, numba.boolean, f32[:, ::1], i32[::1], f32[::1], u8[:, ::1]), late=True)
def smear_take(slots, moved, found, step, square, shift, source, coverage, dirty):
    """Put what a batch traced in its place. coverage : how far a sample is told by its source: fully once that lies a sample away."""
    for at in range(len(slots)):
        s = slots[at]
        x, y, z = moved[at, 0], moved[at, 1], moved[at, 2]
        shift[s, 0], shift[s, 1], shift[s, 2], source[s] = x, y, z, found[at]
        if found[at] > 0:
            coverage[s] = max(coverage[s], min(np.sqrt(x * x + y * y + z * z) / step, np.float32(1)))
            local = s & 65535
            dirty[s >> 16, (((local >> 12) << 4) | ((local & 255) >> 4)) if square else local >> 8] = 1


@kernel(
    numba.void(i32[::1], i32[::1], u8[::1], i32, numba.boolean, f32[:, ::1], i32[::1], i32, f32[:, ::1], i32[::1], i64[::1], i32, u16[:, ::1]),
    late=True,
)
def smear_codes(starts, counts, fresh, chunk, flat, position, face, side, shift, source, pictures, comps, out):
    """Codes at the sources of a chunk's fresh samples, between the four texels around each; exactly one's own where a shift ends on it.

    pictures : (chunks,) addresses of (comps, 65536) uint16 of all chunks that hold sources or neighbours of them, else 0
    """
    across = side >> 8
    one, zero = np.float32(1), np.float32(0)
    for run in range(len(starts)):
        for local in range(starts[run], starts[run] + counts[run]):
            s = np.int64(chunk * CHUNK + local)
            if fresh[s] == 0 or source[s] == 0:
                continue
            fresh[s] = 0
            q = np.int64(source[s]) - 1
            codes = u16_at(pictures[q >> 16], CHUNK * comps)
            fx, fy = zero, zero
            r, d, e = np.int64(-1), np.int64(-1), np.int64(-1)
            if side > 0:
                qc = q >> 16
                x, y = (qc % across) * 256 + (q & 255), (qc // across) * 256 + ((q & 65535) >> 8)
                if flat:
                    fx = np.float32((chunk % across) * 256 + (local & 255)) + shift[s, 0] - np.float32(x)
                    fy = np.float32((chunk // across) * 256 + (local >> 8)) + shift[s, 1] - np.float32(y)
                    r = np.int64(_slot(x + 1, y, across)) if fx >= 0 and x + 1 < side else np.int64(_slot(max(x - 1, 0), y, across))
                    d = np.int64(_slot(x, y + 1, across)) if fy >= 0 and y + 1 < side else np.int64(_slot(x, max(y - 1, 0), across))
                    i, j = (1 if fx >= 0 else -1), (1 if fy >= 0 else -1)
                    fx, fy = abs(fx), abs(fy)
                else:
                    wx = position[s, 0] + shift[s, 0] - position[q, 0]
                    wy = position[s, 1] + shift[s, 1] - position[q, 1]
                    wz = position[s, 2] + shift[s, 2] - position[q, 2]
                    i, j = 1, 1
                    for way in range(2):
                        for turn in range(2):
                            i2, j2 = (1 - 2 * turn, 0) if way == 0 else (0, 1 - 2 * turn)
                            if not (0 <= x + i2 < side and 0 <= y + j2 < side):
                                continue
                            t = np.int64(_slot(x + i2, y + j2, across))
                            if face[t] < 0:
                                continue
                            ax = position[t, 0] - position[q, 0]
                            ay = position[t, 1] - position[q, 1]
                            az = position[t, 2] - position[q, 2]
                            aa = ax * ax + ay * ay + az * az
                            along = (ax * wx + ay * wy + az * wz) / aa if aa > zero else zero
                            if along > zero:
                                if way == 0:
                                    fx, r, i = along, t, i2
                                else:
                                    fy, d, j = along, t, j2
                if r >= 0 and d >= 0 and 0 <= x + i < side and 0 <= y + j < side:
                    e = np.int64(_slot(x + i, y + j, across))
            fx, fy = min(fx, one), min(fy, one)
            if r < 0 or face[r] < 0 or pictures[r >> 16] == 0:
                fx, r = zero, q
            if d < 0 or face[d] < 0 or pictures[d >> 16] == 0:
                fy, d = zero, q
            if e < 0 or face[e] < 0 or pictures[e >> 16] == 0:
                e = r if fx >= fy else d
            right, down = u16_at(pictures[r >> 16], CHUNK * comps), u16_at(pictures[d >> 16], CHUNK * comps)
            corner = u16_at(pictures[e >> 16], CHUNK * comps)
            for k in range(comps):
                row = k * CHUNK
                top = np.float32(codes[row + (q & 65535)]) * (one - fx) + np.float32(right[row + (r & 65535)]) * fx
                below = np.float32(down[row + (d & 65535)]) * (one - fx) + np.float32(corner[row + (e & 65535)]) * fx
                out[k, local] = np.uint16(min(top * (one - fy) + below * fy, np.float32(65535)) + np.float32(0.5))
