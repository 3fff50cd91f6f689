"""Kernels of the surface lattice: building it, and values from samples to its nodes and back."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import f32_room, f64_room, inline, kernel

f32, f64, i32, i64 = numba.float32, numba.float64, numba.int32, numba.int64
#: Bits of a cell's place along one axis in its key.
BITS = 20
#: Below this length of the mean normal a place of the lattice holds two sides of a wall.
TWO_SIDED = np.float32(0.35)
#: Mean normals that disagree more than this lie on two sides.
APART = 0.3


@inline
def _key(x, y, z):
    return (np.int64(z) << (2 * BITS)) | (np.int64(y) << BITS) | np.int64(x)


@inline
def _find(table, key, mask):
    """Slot of a key in an open-addressed table of keys (−1 is empty)."""
    at = ((key * np.int64(-7046029254386353131)) >> np.int64(20)) & mask
    while table[at] != -1 and table[at] != key:
        at = (at + 1) & mask
    return at


@kernel(i64(f32[:, ::1], i32[::1], f32[::1], f32, i64[::1], i32[::1], i32[::1], i64[::1]), late=True)
def number_cells(positions, slots, low, inverse, table, number, cell_of, keys):
    """Number the cells that samples lie in, in the order they are met; −1 when the table is too full.

    table, number : (size,) of a power of two; cell_of : (n,) int32; keys : (room,) int64 of each cell
    """
    mask, count, room = np.int64(len(table) - 1), 0, len(keys)
    last, last_number = np.int64(-1), np.int32(-1)
    for i in range(len(slots)):
        s = slots[i]
        x, y = np.int64((positions[s, 0] - low[0]) * inverse), np.int64((positions[s, 1] - low[1]) * inverse)
        z = np.int64((positions[s, 2] - low[2]) * inverse)
        key = _key(x, y, z)
        if key != last:
            at = _find(table, key, mask)
            if table[at] == -1:
                if count >= room:
                    return -1
                table[at], number[at], keys[count] = key, count, key
                count += 1
            last, last_number = key, number[at]
        cell_of[i] = last_number
    return count


@kernel(i64(i64[::1], i64[::1], i32[::1], i32[:, ::1], i64[::1]), late=True)
def number_places(cells, table, number, corners, keys):
    """Number the corners of cells.

    corners : (cells, 8) int32; keys : (room,) int64 of each place; gives how many there are, or −1 when
    there are more
    """
    mask, count = np.int64(len(table) - 1), 0
    low = (np.int64(1) << BITS) - 1
    for c in range(len(cells)):
        x, y, z = cells[c] & low, (cells[c] >> BITS) & low, cells[c] >> (2 * BITS)
        for corner in range(8):
            key = _key(x + (corner & 1), y + ((corner >> 1) & 1), z + (corner >> 2))
            at = _find(table, key, mask)
            if table[at] == -1:
                if count >= len(keys):
                    return -1
                table[at], number[at], keys[count] = key, count, key
                count += 1
            corners[c, corner] = number[at]
    return count


@inline
def _shares(positions, s, low, inverse, shares):
    """Trilinear shares of a sample in the corners of its cell."""
    fx, fy, fz = (positions[s, 0] - low[0]) * inverse, (positions[s, 1] - low[1]) * inverse, (positions[s, 2] - low[2]) * inverse
    fx, fy, fz = fx - np.floor(fx), fy - np.floor(fy), fz - np.floor(fz)
    one = np.float32(1)
    gx, gy, gz = one - fx, one - fy, one - fz
    shares[0], shares[1], shares[2], shares[3] = gx * gy * gz, fx * gy * gz, gx * fy * gz, fx * fy * gz
    shares[4], shares[5], shares[6], shares[7] = gx * gy * fz, fx * gy * fz, gx * fy * fz, fx * fy * fz


@kernel(numba.void(f32[:, ::1], f32[:, ::1], i32[::1], f32[::1], f32[::1], f32, i32[::1], i32[:, ::1], f64[:, ::1]), late=True)
def gather_normals(positions, normals, slots, areas, low, inverse, cell_of, corners, sums):
    """sums : (places, 10) of area, normal (3) and its second moments (xx, yy, zz, xy, xz, yz)."""
    shares = f32_room(8)
    for i in range(len(slots)):
        s = slots[i]
        _shares(positions, s, low, inverse, shares)
        x, y, z = normals[s, 0], normals[s, 1], normals[s, 2]
        for c in range(8):
            w = np.float64(shares[c] * areas[i])
            p = corners[cell_of[i], c]
            sums[p, 0] += w
            sums[p, 1] += w * x
            sums[p, 2] += w * y
            sums[p, 3] += w * z
            sums[p, 4] += w * x * x
            sums[p, 5] += w * y * y
            sums[p, 6] += w * z * z
            sums[p, 7] += w * x * y
            sums[p, 8] += w * x * z
            sums[p, 9] += w * y * z


@kernel(i64(f64[:, ::1], i32[::1], f32[:, ::1]), late=True)
def number_nodes(sums, node, axis):
    """One node a place, or two where a wall's two sides meet in it. node : (places,) its first; axis : (places, 3), 0 for one side."""
    count = 0
    v, w = f64_room(3), f64_room(3)
    for p in range(len(sums)):
        node[p] = count
        count += 1
        area = max(sums[p, 0], 1e-30)
        mean = np.sqrt(sums[p, 1] ** 2 + sums[p, 2] ** 2 + sums[p, 3] ** 2) / area
        for k in range(3):
            axis[p, k] = 0
        if mean >= TWO_SIDED:
            continue
        # The direction that normals lie along most, by powers of their second moments.
        v[0], v[1], v[2] = sums[p, 4] + 1e-9 * area, sums[p, 5] + 2e-9 * area, sums[p, 6] + 3e-9 * area
        for _ in range(24):
            w[0] = sums[p, 4] * v[0] + sums[p, 7] * v[1] + sums[p, 8] * v[2]
            w[1] = sums[p, 7] * v[0] + sums[p, 5] * v[1] + sums[p, 9] * v[2]
            w[2] = sums[p, 8] * v[0] + sums[p, 9] * v[1] + sums[p, 6] * v[2]
            size = np.sqrt(w[0] ** 2 + w[1] ** 2 + w[2] ** 2)
            if size < 1e-30:
                break
            for k in range(3):
                v[k] = w[k] / size
        for k in range(3):
            axis[p, k] = v[k]
        count += 1
    return count


@inline
def _is_two(axis, p):
    return axis[p, 0] != 0 or axis[p, 1] != 0 or axis[p, 2] != 0


@inline
def _along(sums, p, axis, q):
    """Cosine, about, of the mean normal of a place with the axis of another."""
    return (sums[p, 1] * axis[q, 0] + sums[p, 2] * axis[q, 1] + sums[p, 3] * axis[q, 2]) / max(sums[p, 0], 1e-30)


@kernel(numba.void(i64[::1], i64[::1], i32[::1], i32[::1], f32[:, ::1], f64[:, ::1], i32[:, :, ::1]), late=True)
def link_nodes(keys, table, number, node, axis, sums, links):
    """links : (3 axes, nodes, 2) int32 neighbours of each node before and after it, −1 for none, −2 − n for both n and n + 1.

    One side of a wall is not a neighbour of the other, wherever the lattice happens to cut the wall.
    """
    mask = np.int64(len(table) - 1)
    low = (np.int64(1) << BITS) - 1
    for p in range(len(keys)):
        x, y, z = keys[p] & low, (keys[p] >> BITS) & low, keys[p] >> (2 * BITS)
        two = _is_two(axis, p)
        for d in range(6):
            step = 2 * (d & 1) - 1
            qx, qy, qz = x + (step if d < 2 else 0), y + (step if 2 <= d < 4 else 0), z + (step if d >= 4 else 0)
            q = np.int32(-1)
            if qx >= 0 and qy >= 0 and qz >= 0:
                at = _find(table, _key(qx, qy, qz), mask)
                if table[at] != -1:
                    q = number[at]
            for side in range(2 if two else 1):
                link = np.int32(-1)
                if q >= 0:
                    if two and _is_two(axis, q):
                        same = axis[p, 0] * axis[q, 0] + axis[p, 1] * axis[q, 1] + axis[p, 2] * axis[q, 2] >= 0
                        link = node[q] + (side if same else 1 - side)
                    elif two:
                        along = _along(sums, q, axis, p) * (1 - 2 * side)
                        link = node[q] if along > -APART else np.int32(-1)
                    elif _is_two(axis, q):
                        along = _along(sums, p, axis, q)
                        link = node[q] if along >= APART else (node[q] + 1 if along <= -APART else -2 - node[q])
                    else:
                        agree = (sums[p, 1] * sums[q, 1] + sums[p, 2] * sums[q, 2] + sums[p, 3] * sums[q, 3]) / max(sums[p, 0] * sums[q, 0], 1e-30)
                        link = node[q] if agree > -APART else np.int32(-1)
                links[d >> 1, node[p] + side, d & 1] = link


@inline
def _side(normals, s, axis, p):
    """The share of a sample in the first side of a two-sided place."""
    t = np.float32(0.5) + np.float32(1.5) * (normals[s, 0] * axis[p, 0] + normals[s, 1] * axis[p, 1] + normals[s, 2] * axis[p, 2])
    return min(max(t, np.float32(0)), np.float32(1))


#: A set of arrays that tell where samples lie on the lattice, in the order of the kernels' first arguments.
PLACED = (f32[:, ::1], f32[:, ::1], i32[::1], f32[::1], f32[::1], f32, i32[::1], i32[:, ::1], i32[::1], f32[:, ::1])


@kernel(numba.void(*PLACED, i64, i64, numba.uint16[:, ::1], f32[:, ::1]), late=True)
def to_nodes(positions, normals, slots, areas, low, inverse, cell_of, corners, node, axis, first, last, codes, out):
    """Add the samples first … last, weighed by area, to the nodes. codes : (k, slots) uint16, or (0, 0) to sum the areas; out : (k or 1, nodes)."""
    shares = f32_room(8)
    comps = len(codes)
    u = np.float32(1 / 65535)
    for i in range(first, last):
        s, cell = slots[i], cell_of[i]
        _shares(positions, s, low, inverse, shares)
        for c in range(8):
            p = corners[cell, c]
            w = shares[c] * areas[i]
            n = node[p]
            if _is_two(axis, p):
                t = _side(normals, s, axis, p)
                if comps == 0:
                    out[0, n] += w * t
                    out[0, n + 1] += w * (np.float32(1) - t)
                for k in range(comps):
                    v = np.float32(codes[k, s]) * u
                    out[k, n] += w * t * v
                    out[k, n + 1] += w * (np.float32(1) - t) * v
            else:
                if comps == 0:
                    out[0, n] += w
                for k in range(comps):
                    out[k, n] += w * (np.float32(codes[k, s]) * u)


@kernel(numba.void(*PLACED, i64, i64, f32[:, ::1], numba.uint16[:, ::1]), late=True)
def from_nodes(positions, normals, slots, areas, low, inverse, cell_of, corners, node, axis, first, last, values, out):
    """Read the samples first … last from the nodes into (k, slots) uint16 codes."""
    shares = f32_room(8)
    one, zero = np.float32(1), np.float32(0)
    for i in range(first, last):
        s, cell = slots[i], cell_of[i]
        _shares(positions, s, low, inverse, shares)
        for k in range(len(values)):
            total = zero
            for c in range(8):
                p = corners[cell, c]
                n = node[p]
                if _is_two(axis, p):
                    t = _side(normals, s, axis, p)
                    total += shares[c] * (t * values[k, n] + (one - t) * values[k, n + 1])
                else:
                    total += shares[c] * values[k, n]
            total = min(max(total, zero), one)
            out[k, s] = np.uint16(np.int32(total * np.float32(65535) + np.float32(0.5)))


@kernel(numba.void(i32[:, ::1], f32, f32[::1], f32[::1]), late=True)
def smooth_along(links, share, values, out):
    """One pass of [s/4, 1 − s/2, s/4] along an axis, of which `links` are the neighbours; those that are missing count as 0."""
    side, centre = share / np.float32(4), np.float32(1) - share / np.float32(2)
    for i in range(len(values)):
        total = np.float32(0)
        for d in range(2):
            n = links[i, d]
            if n >= 0:
                total += values[n]
            elif n < -1:
                total += values[-2 - n] + values[-1 - n]
        out[i] = centre * values[i] + side * total
