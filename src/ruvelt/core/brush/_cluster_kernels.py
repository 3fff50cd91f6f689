"""Loops of the soften tool: clusters of neighbouring samples, and their means around samples."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.brush.cluster_arrays import CLUSTERS, INTO, NODES
from ruvelt.core.kernels import f32_scratch, i64_scratch, inline, kernel, u16_at
from ruvelt.core.samples._cell_kernels import cell_at
from ruvelt.core.samples._spread_kernels import reach_pieces
from ruvelt.core.samples.address import CHUNK, chunk_of, local_of, slot_at
from ruvelt.core.samples.arrays import SAMPLES
from ruvelt.core.samples.grid import GRID
from ruvelt.core.samples.pieces import PIECES, SCRATCH

f32, i32, i64, u8, u16 = numba.float32, numba.int32, numba.int64, numba.uint8, numba.uint16


#: Samples of a cell up to which they are put in order; more are so dense that it does not matter.
ORDERED = 512
#: Steps of a cell's side by which they are.
STEPS = 16


@inline
def _interleaved(x, y, z):
    """Morton's order: bits of three numbers below STEPS, in turn."""
    key = np.int64(0)
    for bit in range(4):
        key |= ((x >> bit) & 1) << (3 * bit) | ((y >> bit) & 1) << (3 * bit + 1) | ((z >> bit) & 1) << (3 * bit + 2)
    return key


@inline
def _step(share):
    """Which of its cell's steps a place along an axis, in cells, lies in."""
    return min(max(np.int64((share - np.floor(share)) * np.float32(STEPS)), 0), STEPS - 1)


@inline
def _put_in_order(begin, end, xyz, piece, low, inverse, keys, order):
    """order[begin:end] = the samples of a cell, piece by piece, neighbours in space close to each other."""
    for j in range(begin, end):
        order[j] = j
    if end - begin > ORDERED:
        return
    for j in range(begin, end):
        key = np.int64(piece[j])
        shares = (xyz[0, j] - low[0]) * inverse, (xyz[1, j] - low[1]) * inverse, (xyz[2, j] - low[2]) * inverse
        x, y, z = _step(shares[0]), _step(shares[1]), _step(shares[2])
        key = key << 12 | _interleaved(x, y, z)
        i = j
        while i > begin and keys[i - 1 - begin] > key:
            keys[i - begin], order[i] = keys[i - 1 - begin], order[i - 1]
            i -= 1
        keys[i - begin], order[i] = key, j


@kernel(i64(GRID, f32[::1], i32[::1], CLUSTERS), late=True)
def gather_clusters(grid, areas, piece, clusters):
    """Clusters of up to `most` neighbouring samples of a cell that hang together and face one way; returns how many.

    areas, piece : (n,) of the sorted samples; clusters : all but `slot_piece` is made, in arrays long enough
    """
    start, xyz, normal, low, inverse, most = grid.start, grid.xyz, grid.normal, grid.low, np.float32(1 / grid.cell), clusters.most
    order, cluster_start, first, middle = clusters.order, clusters.start, clusters.first, clusters.middle
    facing, mass, held_in = clusters.facing, clusters.mass, clusters.piece
    n = 0
    keys = i64_scratch(ORDERED)
    for c in range(len(start) - 1):
        cluster_start[c] = n
        _put_in_order(start[c], start[c + 1], xyz, piece, low, inverse, keys, order)
        o = start[c]
        while o < start[c + 1]:
            first[n], held_in[n] = o, piece[order[o]]
            sx, sy, sz, total = np.float32(0), np.float32(0), np.float32(0), np.float32(0)
            j = order[o]
            nx, ny, nz = np.float32(normal[0, j]), np.float32(normal[1, j]), np.float32(normal[2, j])
            fx, fy, fz = np.float32(0), np.float32(0), np.float32(0)
            count = 0
            while o < start[c + 1] and count < most:
                j = order[o]
                if piece[j] != held_in[n] or normal[0, j] * nx + normal[1, j] * ny + normal[2, j] * nz <= 0:
                    break
                w = areas[j]
                sx, sy, sz, total = sx + xyz[0, j] * w, sy + xyz[1, j] * w, sz + xyz[2, j] * w, total + w
                fx, fy, fz = fx + normal[0, j], fy + normal[1, j], fz + normal[2, j]
                o += 1
                count += 1
            if count == 0:
                # A sample without a normal stands alone.
                sx, sy, sz, total = xyz[0, j], xyz[1, j], xyz[2, j], np.float32(1)
                o += 1
            scale = np.float32(1) / total if total > 0 else np.float32(0)
            middle[0, n], middle[1, n], middle[2, n] = sx * scale, sy * scale, sz * scale
            scale = np.sqrt(fx * fx + fy * fy + fz * fz)
            scale = np.float32(1) / scale if scale > 0 else np.float32(0)
            facing[0, n], facing[1, n], facing[2, n] = fx * scale, fy * scale, fz * scale
            mass[n] = total
            n += 1
    cluster_start[len(start) - 1] = n
    first[n] = start[len(start) - 1]
    return n


@inline
def _block_bounds(block, chunk, side, face, position, box):
    """box[:3], box[3:6] = bounds of a block's samples, and of the texels beside them on a sheet; says whether there are any. side : 0 for vertices"""
    across = side >> 8
    far = np.float32(1e30)
    lo_x, lo_y, lo_z, hi_x, hi_y, hi_z = far, far, far, -far, -far, -far
    for row in range(17 if side > 0 else 1):
        first, n = np.int64(chunk) * CHUNK + block * 256, 256
        if side > 0:
            x, y = (chunk % across) * 256 + (block & 15) * 16, (chunk // across) * 256 + (block >> 4) * 16 + row
            # A block's own texels of a row lie side by side; the one beyond them may be in the next chunk.
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
    box[0], box[1], box[2], box[3], box[4], box[5] = lo_x, lo_y, lo_z, hi_x, hi_y, hi_z
    return lo_x <= hi_x


@inline
def _at(value, low, inverse, count):
    """The cell along one axis that holds a place, or the one nearest to it. inverse : of a cell's side"""
    return cell_at((value - low) * inverse, count)


@kernel(numba.void(i32[::1], i32, SAMPLES, f32, CLUSTERS, f32[::1], i64[::1], i32, u8[::1], u8[::1], f32[:, ::1]), late=True)
def fill_clusters(blocks, chunk, samples, radius, clusters, areas, pictures, comps, filled, missing, values):
    """Means of a picture over the clusters that may lie within `radius` of samples of blocks.

    pictures : by chunk, 0 where there is none yet; missing : (chunks,) made 1 where there should be
    filled : (cells,) whether all of it has its means; values : (4, clusters)
    """
    position, face, side, grid = samples.position, samples.face, samples.side, samples.grid
    low, cell, dims, start, slot = grid.low, grid.cell, grid.dims, grid.start, grid.slot
    order, cluster_start, first = clusters.order, clusters.start, clusters.first
    box = f32_scratch(6)
    inverse = np.float32(1 / cell)
    for at in range(len(blocks)):
        if not _block_bounds(blocks[at], chunk, side, face, position, box):
            continue
        x0, x1 = _at(box[0] - radius, low[0], inverse, dims[0]), _at(box[3] + radius, low[0], inverse, dims[0])
        y0, y1 = _at(box[1] - radius, low[1], inverse, dims[1]), _at(box[4] + radius, low[1], inverse, dims[1])
        z0, z1 = _at(box[2] - radius, low[2], inverse, dims[2]), _at(box[5] + radius, low[2], inverse, dims[2])
        for z in range(z0, z1 + 1):
            for y in range(y0, y1 + 1):
                row = (z * dims[1] + y) * dims[0]
                # Most rows of a box are empty, for a surface is thin.
                if start[row + x0] == start[row + x1 + 1]:
                    continue
                for c in range(row + x0, row + x1 + 1):
                    if filled[c] != 0:
                        continue
                    whole = True
                    for n in range(cluster_start[c], cluster_start[c + 1]):
                        total, v0, v1, v2, v3 = np.float32(0), np.float32(0), np.float32(0), np.float32(0), np.float32(0)
                        for o in range(first[n], first[n + 1]):
                            j = order[o]
                            w, local, place = areas[j], local_of(slot[j]), pictures[chunk_of(slot[j])]
                            if place == 0:
                                missing[chunk_of(slot[j])] = 1
                                whole = False
                                continue
                            values_u16 = u16_at(place, CHUNK * comps)
                            total += w
                            v0 += w * np.float32(values_u16[local])
                            if comps > 1:
                                v1 += w * np.float32(values_u16[CHUNK + local])
                            if comps > 2:
                                v2 += w * np.float32(values_u16[2 * CHUNK + local])
                            if comps > 3:
                                v3 += w * np.float32(values_u16[3 * CHUNK + local])
                        share = np.float32(1) / total if total > 0 else np.float32(1)
                        values[0, n], values[1, n], values[2, n], values[3, n] = v0 * share, v1 * share, v2 * share, v3 * share
                    # Set last: what two threads do at once they do alike.
                    filled[c] = whole


@inline
def _turned(cosine):
    """Weight of what faces another way: all up to well past a right angle, so that edges of boxes are soft both ways; nothing on a rim's far side."""
    w = (cosine + np.float32(0.5)) * np.float32(2.5)
    w = w if w > np.float32(0) else np.float32(0)
    return w if w < np.float32(1) else np.float32(1)


@inline
def _mark_around(piece, lo_x, lo_y, lo_z, hi_x, hi_y, hi_z, low, inverse, dims, ends, pieces, mark, scratch):
    """Stamp the pieces that hang together with one inside a box."""
    ends[0, 0], ends[1, 0] = _at(lo_x, low[0], inverse, dims[0]), _at(hi_x, low[0], inverse, dims[0])
    ends[0, 1], ends[1, 1] = _at(lo_y, low[1], inverse, dims[1]), _at(hi_y, low[1], inverse, dims[1])
    ends[0, 2], ends[1, 2] = _at(lo_z, low[2], inverse, dims[2]), _at(hi_z, low[2], inverse, dims[2])
    reach_pieces(piece, ends[0], ends[1], pieces, mark, scratch)


@inline
def _mean_around(s, mark, samples, radius, clusters, pieces, scratch, values, ends, sums):
    """sums[:4] = weighted means of the clusters within `radius` of sample `s` that hang together with it, sums[4] the weight. mark : not used yet"""
    position, normal, low, cell, dims = samples.position, samples.normal, samples.grid.low, samples.grid.cell, samples.grid.dims
    cluster_start, middle, facing, mass, held_in = clusters.start, clusters.middle, clusters.facing, clusters.mass, clusters.piece
    marks = scratch.mark
    px, py, pz, nx, ny, nz = position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2]
    zero, inverse = np.float32(0), np.float32(1 / cell)
    y0, y1 = _at(py - radius, low[1], inverse, dims[1]), _at(py + radius, low[1], inverse, dims[1])
    z0, z1 = _at(pz - radius, low[2], inverse, dims[2]), _at(pz + radius, low[2], inverse, dims[2])
    # As wide a row everywhere: its few clusters more are done sooner than its ends are found.
    x0, x1 = _at(px - radius, low[0], inverse, dims[0]), _at(px + radius, low[0], inverse, dims[0])
    total, a, b, c, e = zero, zero, zero, zero, zero
    _mark_around(
        clusters.slot_piece[s], px - radius, py - radius, pz - radius, px + radius, py + radius, pz + radius, low, inverse, dims, ends,
        pieces, mark, scratch,
    )  # fmt: skip
    for z in range(z0, z1 + 1):
        gz = max(low[2] + np.float32(z * cell) - pz, pz - low[2] - np.float32((z + 1) * cell), zero)
        for y in range(y0, y1 + 1):
            gy = max(low[1] + np.float32(y * cell) - py, py - low[1] - np.float32((y + 1) * cell), zero)
            rest = radius * radius - gz * gz - gy * gy
            if rest < zero:
                continue
            row = (z * dims[1] + y) * dims[0]
            for j in range(np.uint64(cluster_start[row + x0]), np.uint64(cluster_start[row + x1 + 1])):
                dx, dy, dz = middle[0, j] - px, middle[1, j] - py, middle[2, j] - pz
                w = radius * radius - (dx * dx + dy * dy + dz * dz)
                w = (w if w > zero else zero) * mass[j]
                w *= _turned(facing[0, j] * nx + facing[1, j] * ny + facing[2, j] * nz)
                w = w if marks[held_in[j]] == mark else zero
                total += w
                a += w * values[0, j]
                b += w * values[1, j]
                c += w * values[2, j]
                e += w * values[3, j]
    if total > zero:
        sums[0], sums[1], sums[2], sums[3] = a / total, b / total, c / total, e / total
    sums[4] = total


#: Radius, clusters, the pieces they lie in, what marks those, and the clusters' means.
_AROUND = (f32, CLUSTERS, PIECES, SCRATCH, f32[:, ::1])
_LOOSE = {"reassoc", "contract", "nsz"}


@inline
def _put(mean, weight, own, local, into):
    """Write a mean, or a sample's own codes where nothing has weight; taken apart from its coverage where it is multiplied by it."""
    comps, multiplied, out = into.comps, into.multiplied, into.out
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


@kernel(numba.void(i32[::1], SAMPLES, *_AROUND, INTO), late=True, fastmath=_LOOSE)
def soften_values(slots, samples, radius, clusters, pieces, scratch, values, into):
    """Weighted mean of a picture over the surface around samples of a chunk: its clusters within `radius` that hang together with a sample.

    The last mark that was used is kept at the end of the scratch's.
    """
    marks, picture, comps = scratch.mark, into.picture, into.comps
    sums, ends, mark = f32_scratch(5), i64_scratch((2, 3)), marks[len(marks) - 1]
    own = u16_at(picture, CHUNK * comps)
    for at in range(len(slots)):
        s = slots[at]
        mark += np.int32(1)
        _mean_around(s, mark, samples, radius, clusters, pieces, scratch, values, ends, sums)
        _put(sums, sums[4], own, local_of(s), into)
    marks[len(marks) - 1] = mark


#: Clusters that are looked at together, and room for them: not a power of two, or the rows of a list would push each other out of the cache.
LISTED, ROOM = 448, 464


@inline
def _add_listed(listed, full, radius, slots, count, position, normal, sums):
    """Add to sums (count, 5), of four weighted values and of weights, what the first `full` listed clusters give samples."""
    zero = np.float32(0)
    # Whole steps of the loop; what has no mass adds nothing.
    whole = (full + 15) & -16
    for k in range(11):
        for j in range(full, whole):
            listed[k, j] = zero
    for n in range(count):
        s = slots[n]
        px, py, pz, nx, ny, nz = position[s, 0], position[s, 1], position[s, 2], normal[s, 0], normal[s, 1], normal[s, 2]
        total, a, b, c, e = zero, zero, zero, zero, zero
        for j in range(np.uint64(whole)):
            dx, dy, dz = listed[0, j] - px, listed[1, j] - py, listed[2, j] - pz
            w = radius * radius - (dx * dx + dy * dy + dz * dz)
            w = (w if w > zero else zero) * listed[6, j]
            w *= _turned(listed[3, j] * nx + listed[4, j] * ny + listed[5, j] * nz)
            total += w
            a += w * listed[7, j]
            b += w * listed[8, j]
            c += w * listed[9, j]
            e += w * listed[10, j]
        sums[n, 0] += a
        sums[n, 1] += b
        sums[n, 2] += c
        sums[n, 3] += e
        sums[n, 4] += total


@kernel(numba.void(i32[::1], i32, NODES, SAMPLES, *_AROUND), late=True, fastmath=_LOOSE)
def soften_nodes(blocks, chunk, nodes, samples, radius, clusters, pieces, scratch, values):
    """Means at the nodes of blocks, at every `step`-th texel each way and at the edges beyond, that were not asked before.

    A node's clusters are listed for the block it lies in, so that it has one value whoever asks.
    """
    step, known, node_values = nodes.step, nodes.known, nodes.values
    position, normal, face, side = samples.position, samples.normal, samples.face, samples.side
    low, cell, dims, marks, slot_piece = samples.grid.low, samples.grid.cell, samples.grid.dims, scratch.mark, clusters.slot_piece
    cluster_start, middle, facing, mass, held_in = clusters.start, clusters.middle, clusters.facing, clusters.mass, clusters.piece
    zero, far, inverse = np.float32(0), np.float32(1e30), np.float32(1 / cell)
    across = side >> 8
    along, wide = 16 // step, 256 // step + 1
    listed, sums, slots, asked = f32_scratch((11, ROOM)), f32_scratch((64, 5)), i64_scratch(64), i64_scratch(64)
    alone, ends, mark = f32_scratch(5), i64_scratch((2, 3)), marks[len(marks) - 1]
    # First each block's own nodes, so that those at its edges are left to blocks that are there as well.
    for owner in range(4):
        for at in range(len(blocks)):
            right, below = owner & 1, owner >> 1
            # The part of the owner's nodes that this block needs.
            columns, rows = 1 if right == 1 else along, 1 if below == 1 else along
            i0, j0 = (blocks[at] & 15) * along + right * along, (blocks[at] >> 4) * along + below * along
            count = 0
            for n in range(columns * rows):
                i, j = i0 + n % columns, j0 + n // columns
                if known[j * wide + i] == 0:
                    x, y = (chunk % across) * 256 + i * step, (chunk // across) * 256 + j * step
                    s = np.int64(slot_at(x, y, across)) if x < side and y < side else np.int64(-1)
                    if s >= 0 and face[s] >= 0:
                        slots[count], asked[count] = s, j * wide + i
                        count += 1
                    else:
                        known[j * wide + i] = -1
            if count == 0:
                continue
            lo_x, lo_y, lo_z, hi_x, hi_y, hi_z = far, far, far, -far, -far, -far
            for n in range(along * along):
                x, y = (chunk % across) * 256 + (i0 + n % along) * step, (chunk // across) * 256 + (j0 + n // along) * step
                s = np.int64(slot_at(x, y, across))
                if face[s] >= 0:
                    lo_x, lo_y, lo_z = min(lo_x, position[s, 0]), min(lo_y, position[s, 1]), min(lo_z, position[s, 2])
                    hi_x, hi_y, hi_z = max(hi_x, position[s, 0]), max(hi_y, position[s, 1]), max(hi_z, position[s, 2])
            for n in range(count):
                for k in range(5):
                    sums[n, k] = zero
            if max(hi_x - lo_x, hi_y - lo_y, hi_z - lo_z) > np.float32(2) * radius:
                # Nodes of several islands, or long texels: what one needs is of no use to the others.
                mark += np.int32(1)
            else:
                x0, x1 = _at(lo_x - radius, low[0], inverse, dims[0]), _at(hi_x + radius, low[0], inverse, dims[0])
                y0, y1 = _at(lo_y - radius, low[1], inverse, dims[1]), _at(hi_y + radius, low[1], inverse, dims[1])
                z0, z1 = _at(lo_z - radius, low[2], inverse, dims[2]), _at(hi_z + radius, low[2], inverse, dims[2])
                full = 0
                mark += np.int32(1)
                _mark_around(
                    slot_piece[slots[0]], lo_x - radius, lo_y - radius, lo_z - radius, hi_x + radius, hi_y + radius, hi_z + radius, low, inverse,
                    dims, ends, pieces, mark, scratch,
                )  # fmt: skip
                for z in range(z0, z1 + 1):
                    for y in range(y0, y1 + 1):
                        row = (z * dims[1] + y) * dims[0]
                        for f in range(np.uint64(cluster_start[row + x0]), np.uint64(cluster_start[row + x1 + 1])):
                            t = np.uint64(full)
                            listed[0, t], listed[1, t], listed[2, t] = middle[0, f], middle[1, f], middle[2, f]
                            listed[3, t], listed[4, t], listed[5, t], listed[6, t] = facing[0, f], facing[1, f], facing[2, f], mass[f]
                            listed[7, t], listed[8, t], listed[9, t], listed[10, t] = values[0, f], values[1, f], values[2, f], values[3, f]
                            # What does not hang together is written over by the next.
                            full += 1 if marks[held_in[f]] == mark else 0
                            if full == LISTED:
                                _add_listed(listed, full, radius, slots, count, position, normal, sums)
                                full = 0
                _add_listed(listed, full, radius, slots, count, position, normal, sums)
            # Nodes of other pieces than the first one's have their own neighbours.
            together = mark
            for n in range(count):
                if marks[slot_piece[slots[n]]] != together:
                    mark += np.int32(1)
                    _mean_around(slots[n], mark, samples, radius, clusters, pieces, scratch, values, ends, alone)
                    for k in range(4):
                        sums[n, k] = alone[k] * alone[4]
                    sums[n, 4] = alone[4]
                if sums[n, 4] > zero:
                    share = np.float32(1) / sums[n, 4]
                    for k in range(4):
                        node_values[asked[n], k] = sums[n, k] * share
                    known[asked[n]] = slots[n] + 1
                else:
                    known[asked[n]] = -1
    marks[len(marks) - 1] = mark


@kernel(numba.void(i32[::1], i32, NODES, SAMPLES, *_AROUND, INTO), late=True, fastmath=_LOOSE)
def soften_blocks(blocks, chunk, nodes, samples, radius, clusters, pieces, scratch, values, into):
    """The same over blocks (n,) of a sheet's chunk: straight between nodes where the surface is.

    A mean over many texels bends too little between neighbours to show; at edges of islands and bends every texel has its own.
    """
    step, known, node_values = nodes.step, nodes.known, nodes.values
    position, face, side = samples.position, samples.face, samples.side
    marks, picture, comps, multiplied, out = scratch.mark, into.picture, into.comps, into.multiplied, into.out
    one, zero = np.float32(1), np.float32(0)
    across = side >> 8
    left, top = (chunk % across) * 256, (chunk // across) * 256
    along, wide = 16 // step, 256 // step + 1
    half, full = np.float32(0.5), np.float32(65535)
    sums, mean, shares, offsets, values_u16 = f32_scratch(5), f32_scratch(4), f32_scratch((4, 16)), i64_scratch(16), f32_scratch((4, 16))
    own, ends, mark = u16_at(picture, CHUNK * comps), i64_scratch((2, 3)), marks[len(marks) - 1]
    inv = one / np.float32(step)
    for n in range(16):
        # A square of fewer texels says them again.
        u, v = n % step, (n // step) % step
        fx, fy = np.float32(u) * inv, np.float32(v) * inv
        shares[0, n], shares[1, n], shares[2, n], shares[3, n] = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
        offsets[n] = (v << 8) + u
    for at in range(len(blocks)):
        i0, j0 = (blocks[at] & 15) * along, (blocks[at] >> 4) * along
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
            # Each texel must lie where its neighbours say, or the layout folds between them.
            even = whole
            for n in range(np.uint64(16 if whole else 0)):
                at_texel = begin + np.uint64(offsets[n])
                off = zero
                for k in range(3):
                    there = position[a, k] * shares[0, n] + position[b, k] * shares[1, n]
                    there += position[c, k] * shares[2, n] + position[d, k] * shares[3, n]
                    off += (position[at_texel, k] - there) ** 2
                even = even and off * np.float32(64) <= span and face[at_texel] >= 0
            if even:
                for k in range(comps):
                    ca, cb, cc, cd = node_values[first, k], node_values[first + 1, k], node_values[first + wide, k], node_values[first + wide + 1, k]
                    for n in range(np.uint64(16)):
                        values_u16[k, n] = ca * shares[0, n] + cb * shares[1, n] + cc * shares[2, n] + cd * shares[3, n]
                if multiplied:
                    for n in range(np.uint64(16)):
                        gain = full / max(values_u16[comps - 1, n], one)
                        for k in range(comps - 1):
                            values_u16[k, n] *= gain
                for k in range(comps):
                    for n in range(np.uint64(16)):
                        out[k, (begin & np.uint64(65535)) + np.uint64(offsets[n])] = np.uint16(min(values_u16[k, n], full) + half)
                continue
            for v in range(step):
                for u in range(step):
                    s = np.int64(slot_at(left + i * step + u, top + j * step + v, across))
                    if face[s] < 0:
                        continue
                    local = local_of(s)
                    fx, fy = np.float32(u) * inv, np.float32(v) * inv
                    wa, wb, wc, wd = (one - fx) * (one - fy), fx * (one - fy), (one - fx) * fy, fx * fy
                    between = whole
                    if whole:
                        off = zero
                        for k in range(3):
                            there = position[a, k] * wa + position[b, k] * wb + position[c, k] * wc + position[d, k] * wd
                            off += (position[s, k] - there) ** 2
                        between = off * np.float32(64) <= span
                    if between:
                        for k in range(comps):
                            upper = node_values[first, k] * wa + node_values[first + 1, k] * wb
                            mean[k] = upper + node_values[first + wide, k] * wc + node_values[first + wide + 1, k] * wd
                        _put(mean, one, own, local, into)
                        continue
                    mark += np.int32(1)
                    _mean_around(s, mark, samples, radius, clusters, pieces, scratch, values, ends, sums)
                    _put(sums, sums[4], own, local, into)
    marks[len(marks) - 1] = mark
