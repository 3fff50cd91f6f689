"""The grain's filter: means of rays' answers along the surface."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.bake.point_arrays import GRAIN_CELLS, GRAIN_SAMPLES
from ruvelt.core.kernels import f32_scratch, inline, kernel

f32, i32, i64 = numba.float32, numba.int32, numba.int64
#: Neighbours count within so many standard deviations of their weights (1 − r²)², which are 1/√8 of the cut.
CUT = np.float32(8**0.5)
#: Normals further apart than this cosine lie on other sides of an edge; the weight grows from there.
ACROSS = np.float32(0.85)
#: Neighbours gathered at a time, and room for them: not a power of two, or the rows would push each other out of the cache.
NEAR, ROOM = 448, 464
#: Sums in any order, so that loops run on vectors; the same program gives the same bits.
_LOOSE = {"reassoc", "contract", "nsz"}


@inline
def _add(i, many, near, r_sq, narrow, xyz, normal, guide, comps, out, totals):
    """Add what counts of gathered neighbours to sample i: Tukey's biweight of the distance, of what the guides differ by, and the normals' cosine.

    0 over edges, steps and thin walls. near : rows of x, y, z, normal, area, guide and three values, filled up to whole steps with no area
    """
    zero, one = np.float32(0), np.float32(1)
    px, py, pz, nx, ny, nz = xyz[0, i], xyz[1, i], xyz[2, i], normal[0, i], normal[1, i], normal[2, i]
    g, inverse = guide[i], one / r_sq
    total, a, b, c = zero, zero, zero, zero
    for j in range(np.uint64(many)):
        dx, dy, dz = near[0, j] - px, near[1, j] - py, near[2, j] - pz
        mx, my, mz = near[3, j], near[4, j], near[5, j]
        d_sq = dx * dx + dy * dy + dz * dz
        above, below = nx * dx + ny * dy + nz * dz, mx * dx + my * dy + mz * dz
        d = near[7, j] - g
        close, alike, facing = one - d_sq * inverse, one - d * d * narrow, nx * mx + ny * my + nz * mz - ACROSS
        w = close * close * alike * alike * near[6, j] * facing
        w = w if close > zero else zero
        w = w if alike > zero else zero
        w = w if facing > zero else zero
        # Beside, not over each other: within 30° of both tangent planes.
        quarter = np.float32(0.25) * d_sq
        w = w if above * above <= quarter else zero
        w = w if below * below <= quarter else zero
        total += w
        a += w * near[8, j]
        b += w * near[9, j]
        c += w * near[10, j]
    totals[i] += total
    out[i, 0] += a
    if comps > 1:
        out[i, 1] += b
        out[i, 2] += c


@inline
def _filled(near, many):
    """The next whole step of the loop; what fills it up has no area."""
    whole = (many + 15) & -16
    for k in range(11):
        for j in range(many, whole):
            near[k, j] = np.float32(0)
    return whole


@inline
def _slot(key, mask):
    """Where a cell's number is looked for first in a table of mask + 1 places (Knuth's multiplicative hash)."""
    return i64((numba.uint64(key) * numba.uint64(0x9E3779B97F4A7C15)) >> numba.uint64(20)) & mask


@kernel(numba.void(f32[:, ::1], f32[::1], f32, i64[::1], i64[::1]), late=True)
def number_cells(position, low, cell, dims, out):
    """The number of the cell that each (n, 3) place lies in, of dims cells a side."""
    for i in range(len(position)):
        x, y, z = i64((position[i, 0] - low[0]) / cell), i64((position[i, 1] - low[1]) / cell), i64((position[i, 2] - low[2]) / cell)
        out[i] = (min(max(z, 0), dims[2] - 1) * dims[1] + min(max(y, 0), dims[1] - 1)) * dims[0] + min(max(x, 0), dims[0] - 1)


@kernel(numba.void(i64[::1], i32[::1]), late=True)
def fill_table(cells, table):
    """Rows of `cells` (each number once) by number; free places of the table, a power of two larger than all, hold -1."""
    mask = i64(len(table) - 1)
    for row in range(len(cells)):
        at = _slot(cells[row], mask)
        while table[at] >= 0:
            at = (at + 1) & mask
        table[at] = row


@inline
def _find(cells, table, key):
    mask = i64(len(table) - 1)
    at = _slot(key, mask)
    while table[at] >= 0:
        if cells[table[at]] == key:
            return table[at]
        at = (at + 1) & mask
    return np.int32(-1)


@inline
def _narrow(guide, variance):
    """One over the square of the largest difference that counts: three deviations of low-discrepancy rays, which do better than the bound."""
    p = min(max(guide, np.float32(0.02)), np.float32(0.98))
    return np.float32(1) / max(np.float32(9 * 0.5) * p * (np.float32(1) - p) * variance, np.float32(1e-12)) if variance > 0 else np.float32(0)


@kernel(
    numba.void(i64, i64, numba.boolean[::1], GRAIN_SAMPLES, f32, GRAIN_CELLS, f32[::1], f32[:, ::1]),
    late=True,
    fastmath=_LOOSE,
)
def even_out(first, last, own, samples, variance, cells, totals, out):
    """Means of (n, c) values, c 1 or 3, around the samples of cells first … last, those that are `own`; samples are sorted by cell.

    Neighbours whose guide, an estimate 0–1, lies further off than noise explains do not count. A mean of rays' answers between 0 and 1 varies by no
    more than p (1 − p) / rays (Bhatia and Davis 2000): `variance` is one over rays, or 0 for no guide. totals : (n,) room of 0
    """
    xyz, normal, area, radii, values, guide = samples
    cell, number_of, dims, table, start = cells
    zero = np.float32(0)
    comps = values.shape[1]
    near = f32_scratch((11, ROOM))
    for c in range(first, last):
        a, b = start[c], start[c + 1]
        widest = zero
        for i in range(a, b):
            widest = max(widest, radii[i])
            totals[i] = zero
            for k in range(comps):
                out[i, k] = zero
        reach = min(i64(np.ceil(widest / f32(cell))), i64(4))
        number = number_of[c]
        cx, cy, cz = number % dims[0], number // dims[0] % dims[1], number // (dims[0] * dims[1])
        many = 0
        for z in range(max(cz - reach, 0), min(cz + reach, dims[2] - 1) + 1):
            for y in range(max(cy - reach, 0), min(cy + reach, dims[1] - 1) + 1):
                for x in range(max(cx - reach, 0), min(cx + reach, dims[0] - 1) + 1):
                    found = _find(number_of, table, (z * dims[1] + y) * dims[0] + x)
                    if found < 0:
                        continue
                    for j in range(start[found], start[found + 1]):
                        for k in range(3):
                            near[k, many], near[3 + k, many] = xyz[k, j], normal[k, j]
                        near[6, many], near[7, many] = area[j], guide[j]
                        for k in range(3):
                            near[8 + k, many] = values[j, k] if k < comps else zero
                        many += 1
                        if many == NEAR:
                            for i in range(a, b):
                                _add(i, many, near, radii[i] * radii[i], _narrow(guide[i], variance), xyz, normal, guide, comps, out, totals)
                            many = 0
        many = _filled(near, many)
        for i in range(a, b):
            if own[i]:
                _add(i, many, near, radii[i] * radii[i], _narrow(guide[i], variance), xyz, normal, guide, comps, out, totals)
                for k in range(comps):
                    out[i, k] = out[i, k] / totals[i] if totals[i] > zero else values[i, k]
