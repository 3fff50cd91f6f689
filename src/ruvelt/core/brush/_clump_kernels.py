"""Loops of the soften tool: clumps of neighbouring samples, and their means around samples."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush._walk_kernels import CHUNK, slot_at
from ruvelt.core.kernels import f32_room, inline, kernel, u16_at

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16


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
    i64(i32[::1], i32, i32, i32[::1], f32[:, ::1], f32, f32[::1], numba.float64, i32[::1], i32[::1], i32[::1], u8[::1], i32[::1], i64,
        u8[::1]),
    late=True,
)  # fmt: skip
def cells_near(tiles, chunk, side, face, position, radius, low, cell, dims, start, slot, seen, cells, count, marks):
    """Cells of the grid that may hold samples within `radius` of those of tiles, each once, put after the first `count`; returns how many there are.

    side : of the sheet, whose tiles reach to the texels beside them, 0 for vertices; seen : (cells,)
    marks : (chunks,) made 1 where their samples lie
    """
    across = side >> 8
    far = np.float32(1e30)
    for at in range(len(tiles)):
        lo_x, lo_y, lo_z, hi_x, hi_y, hi_z = far, far, far, -far, -far, -far
        for row in range(17 if side > 0 else 1):
            first, n = np.int64(chunk) * CHUNK + tiles[at] * 256, 256
            if side > 0:
                x, y = (chunk % across) * 256 + (tiles[at] & 15) * 16, (chunk // across) * 256 + (tiles[at] >> 4) * 16 + row
                # A tile's own texels of a row lie side by side; the one beyond them may be in the next chunk.
                first, n = np.int64(slot_at(x, y, across)), 16 if y < side else 0
                beyond = np.int64(slot_at(x + 16, y, across)) if x + 16 < side and y < side else np.int64(-1)
                if beyond >= 0 and face[beyond] >= 0:
                    lo_x, hi_x = min(lo_x, position[beyond, 0]), max(hi_x, position[beyond, 0])
                    lo_y, hi_y = min(lo_y, position[beyond, 1]), max(hi_y, position[beyond, 1])
                    lo_z, hi_z = min(lo_z, position[beyond, 2]), max(hi_z, position[beyond, 2])
            for i in range(np.uint64(n)):
                s = np.uint64(first) + i
                there = face[s] >= 0
                px, py, pz = position[s, 0], position[s, 1], position[s, 2]
                lo_x, hi_x = (px if there and px < lo_x else lo_x), (px if there and px > hi_x else hi_x)
                lo_y, hi_y = (py if there and py < lo_y else lo_y), (py if there and py > hi_y else hi_y)
                lo_z, hi_z = (pz if there and pz < lo_z else lo_z), (pz if there and pz > hi_z else hi_z)
        if not lo_x <= hi_x:
            continue
        x0 = min(max(int(np.floor((lo_x - radius - low[0]) / cell)), 0), dims[0] - 1)
        x1 = min(max(int(np.floor((hi_x + radius - low[0]) / cell)), 0), dims[0] - 1)
        y0 = min(max(int(np.floor((lo_y - radius - low[1]) / cell)), 0), dims[1] - 1)
        y1 = min(max(int(np.floor((hi_y + radius - low[1]) / cell)), 0), dims[1] - 1)
        z0 = min(max(int(np.floor((lo_z - radius - low[2]) / cell)), 0), dims[2] - 1)
        z1 = min(max(int(np.floor((hi_z + radius - low[2]) / cell)), 0), dims[2] - 1)
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                for c in range(row + x0, row + x1 + 1):
                    if seen[c] == 0:
                        seen[c] = 1
                        if start[c] < start[c + 1]:
                            cells[count] = c
                            count += 1
                            for j in range(start[c], start[c + 1]):
                                marks[slot[j] >> 16] = 1
    return count


@kernel(numba.void(i32[::1], i32[::1], i32[::1], i32[::1], f32[::1], i64[::1], i32, f32[:, ::1]), late=True)
def fill_clumps(cells, slot, clump_start, first, areas, pictures, comps, values):
    """Means of a picture over the clumps of some cells. values : (4, clumps) float32, 0 so far"""
    for at in range(len(cells)):
        for n in range(clump_start[cells[at]], clump_start[cells[at] + 1]):
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
    # As wide a row everywhere: its few clumps more are done sooner than its ends are found.
    x0 = min(max(int(np.floor((px - radius - low[0]) / cell)), 0), dims[0] - 1)
    x1 = min(max(int(np.floor((px + radius - low[0]) / cell)), 0), dims[0] - 1)
    total, a, b, c, e = zero, zero, zero, zero, zero
    for z in range(z0, z1 + 1):
        gz = max(low[2] + np.float32(z * cell) - pz, pz - low[2] - np.float32((z + 1) * cell), zero)
        for y in range(y0, y1 + 1):
            gy = max(low[1] + np.float32(y * cell) - py, py - low[1] - np.float32((y + 1) * cell), zero)
            rest = radius * radius - gz * gz - gy * gy
            if rest < zero:
                continue
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


@inline
def _put(mean, weight, own, local, comps, multiplied, out):
    """Write a mean, or a sample's own codes where nothing has weight; taken apart from its coverage where it is multiplied by it."""
    half, full = np.float32(0.5), np.float32(65535)
    gain = np.float32(1)
    if multiplied:
        cover = mean[comps - 1] if weight > 0 else np.float32(own[(comps - 1) * CHUNK + local])
        gain = full / max(cover, np.float32(1))
    for k in range(comps):
        code = mean[k] if weight > 0 else np.float32(own[k * CHUNK + local])
        if k < comps - 1 or not multiplied:
            code = code * gain
        out[k, local] = np.uint16(min(code, full) + half)


@kernel(numba.void(i32[::1], f32[:, ::1], f32[:, ::1], *_CLUMPS, i64, i32, numba.boolean, u16[:, ::1]), late=True, fastmath=_LOOSE)
def soften_codes(slots, position, normal, radius, low, cell, dims, clump_start, middle, facing, mass, values, picture, comps, multiplied, out):
    """Weighted mean of a picture over the surface around samples of a chunk: its clumps within `radius` that face a sample's way.

    picture : address of the chunk's own (comps, 65536), for samples that have no neighbours; multiplied : colours are by alpha, the last
    """
    sums = f32_room(5)
    own = u16_at(picture, CHUNK * comps)
    for at in range(len(slots)):
        s = slots[at]
        px, py, pz, nx, ny, nz = position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2]
        _mean_around(px, py, pz, nx, ny, nz, radius, low, cell, dims, clump_start, middle, facing, mass, values, sums)
        _put(sums, sums[4], own, s & 65535, comps, multiplied, out)


@kernel(i64(i32[::1], i32, i32, i32, i32[::1], i32[::1], i32[::1]), late=True)
def ask_nodes(tiles, chunk, step, side, face, known, out):
    """Nodes, at every `step`-th texel each way, around tiles of a sheet's chunk that were not asked before; returns how many.

    known : ((256 / step + 1)²,) slot of a node plus one, 0 before it is asked, −1 where there is no texel
    """
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    along, wide = 16 // step, 256 // step + 1
    count = 0
    for at in range(len(tiles)):
        i0, j0 = (tiles[at] & 15) * along, (tiles[at] >> 4) * along
        for j in range(j0, j0 + along + 1):
            for i in range(i0, i0 + along + 1):
                node = j * wide + i
                if known[node] != 0:
                    continue
                x, y = left + i * step, top + j * step
                s = np.int64(slot_at(x, y, across)) if x < side and y < side else np.int64(-1)
                if s >= 0 and face[s] >= 0:
                    known[node] = s + 1
                    out[count] = node
                    count += 1
                else:
                    known[node] = -1
    return count


@kernel(numba.void(i32[::1], i32[::1], f32[:, ::1], f32[:, ::1], *_CLUMPS, f32[:, ::1]), late=True, fastmath=_LOOSE)
def soften_nodes(nodes, known, position, normal, radius, low, cell, dims, clump_start, middle, facing, mass, values, node_values):
    """Means at nodes. node_values : (nodes, 4); a node without neighbours is known no more."""
    sums = f32_room(5)
    for at in range(len(nodes)):
        s = known[nodes[at]] - 1
        px, py, pz, nx, ny, nz = position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2]
        _mean_around(px, py, pz, nx, ny, nz, radius, low, cell, dims, clump_start, middle, facing, mass, values, sums)
        if sums[4] > 0:
            for k in range(4):
                node_values[nodes[at], k] = sums[k]
        else:
            known[nodes[at]] = -1


@kernel(
    numba.void(i32[::1], i32, i32, i32, i32[::1], i32[::1], f32[:, ::1], f32[:, ::1], f32[:, ::1], *_CLUMPS, i64, i32, numba.boolean, u16[:, ::1]),
    late=True,
    fastmath=_LOOSE,
)
def soften_tiles(
    tiles, chunk, step, side, face, known, node_values, position, normal, radius, low, cell, dims, clump_start, middle, facing, mass, values,
    picture, comps, multiplied, out,
):  # fmt: skip
    """The same over tiles (n,) of a sheet's chunk: straight between nodes where the surface is.

    A mean over many texels bends too little between neighbours to show; at edges of islands and bends every texel has its own.
    """
    one, zero = np.float32(1), np.float32(0)
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    along, wide = 16 // step, 256 // step + 1
    half, full = np.float32(0.5), np.float32(65535)
    sums, mean, shares = f32_room(5), f32_room(4), f32_room((4, 16))
    own = u16_at(picture, CHUNK * comps)
    inv = one / np.float32(step)
    for n in range(step * step):
        fx, fy = np.float32(n % step) * inv, np.float32(n // step) * inv
        shares[0, n], shares[1, n], shares[2, n], shares[3, n] = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
    for at in range(len(tiles)):
        i0, j0 = (tiles[at] & 15) * along, (tiles[at] >> 4) * along
        for square in range(along * along):
            i, j = i0 + square % along, j0 + square // along
            first = j * wide + i
            a, b, c, d = known[first] - 1, known[first + 1] - 1, known[first + wide] - 1, known[first + wide + 1] - 1
            whole = a >= 0 and b >= 0 and c >= 0 and d >= 0
            span = zero
            if whole:
                for k in range(3):
                    span += (position[a, k] - position[d, k]) ** 2
            begin = np.uint64(slot_at(left + i * step, top + j * step, across))
            # In one face a layout is straight, and all lies between the nodes.
            even = whole
            for row in range(np.uint64(step if whole else 0)):
                for column in range(np.uint64(step)):
                    even = even and face[begin + (row << np.uint64(8)) + column] == face[a]
            if even and face[b] == face[a] and face[c] == face[a] and face[d] == face[a]:
                for n in range(np.uint64(step * step)):
                    at_texel = (begin & np.uint64(65535)) + ((n // np.uint64(step)) << np.uint64(8)) + n % np.uint64(step)
                    gain = one
                    if multiplied:
                        cover = node_values[first, comps - 1] * shares[0, n] + node_values[first + 1, comps - 1] * shares[1, n]
                        cover += node_values[first + wide, comps - 1] * shares[2, n] + node_values[first + wide + 1, comps - 1] * shares[3, n]
                        gain = full / max(cover, one)
                    for k in range(comps):
                        code = node_values[first, k] * shares[0, n] + node_values[first + 1, k] * shares[1, n]
                        code += node_values[first + wide, k] * shares[2, n] + node_values[first + wide + 1, k] * shares[3, n]
                        code = code * gain if k < comps - 1 or not multiplied else code
                        out[k, at_texel] = np.uint16(min(code, full) + half)
                continue
            for v in range(step):
                for u in range(step):
                    s = np.int64(slot_at(left + i * step + u, top + j * step + v, across))
                    if face[s] < 0:
                        continue
                    local = s & 65535
                    fx, fy = np.float32(u) * inv, np.float32(v) * inv
                    wa, wb, wc, wd = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
                    between = whole
                    # In one face a layout is straight; else the texel must lie where its neighbours say, or the layout folds between them.
                    if whole and not (face[a] == face[s] and face[b] == face[s] and face[c] == face[s] and face[d] == face[s]):
                        off = zero
                        for k in range(3):
                            there = position[a, k] * wa + position[b, k] * wb + position[c, k] * wc + position[d, k] * wd
                            off += (position[s, k] - there) ** 2
                        between = off * np.float32(64) <= span
                    if between:
                        for k in range(comps):
                            upper = node_values[first, k] * wa + node_values[first + 1, k] * wb
                            mean[k] = upper + node_values[first + wide, k] * wc + node_values[first + wide + 1, k] * wd
                        _put(mean, one, own, local, comps, multiplied, out)
                        continue
                    _mean_around(
                        position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2], radius, low, cell, dims,
                        clump_start, middle, facing, mass, values, sums,
                    )  # fmt: skip
                    _put(sums, sums[4], own, local, comps, multiplied, out)
