"""Kernels that tell which samples hang together over the surface in each cell of a grid of cubes."""

# mypy: disable-error-code="no-untyped-def"
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import inline, kernel

f32, i32, i64 = numba.float32, numba.int32, numba.int64
#: Bits of a cell's place along one axis in its key.
BITS = 20
#: Looks along edges in all. Edges of usual models need far fewer; a file of endless slivers comes to an end, joined at fewer places.
MOST_LOOKS = 100_000_000
FARTHEST = np.float32(1 << BITS)


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


@inline
def _root(parent, i):
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@inline
def _join(parent, i, j):
    """The lower number becomes the root of both, so that numbers do not hang on the order of joining."""
    a, b = _root(parent, i), _root(parent, j)
    if a < b:
        parent[b] = a
    elif b < a:
        parent[a] = b


@kernel(i64(f32[:, ::1], i32[::1], f32[::1], f32, i64[::1], i32[::1], i32[::1], i64[::1]), late=True)
def number_cells(positions, rows, low, inverse, table, number, cell_of, keys):
    """Number the cells that samples lie in, in the order they are met; −1 when the table is too full.

    table, number : (size,) of a power of two; cell_of : (n,) int32; keys : (room,) int64 of each cell
    """
    mask, count, room = np.int64(len(table) - 1), 0, len(keys)
    last, last_number = np.int64(-1), np.int32(-1)
    for i in range(len(rows)):
        s = rows[i]
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


@kernel(i64(i64[::1], i64[::1], i32[::1], i32[:, ::1], i64), late=True)
def number_places(cells, table, number, corners, room):
    """Number the corners of cells. corners : (cells, 8) int32; gives how many there are, or −1 when there are more than `room`."""
    mask, count = np.int64(len(table) - 1), 0
    low = (np.int64(1) << BITS) - 1
    for c in range(len(cells)):
        x, y, z = cells[c] & low, (cells[c] >> BITS) & low, cells[c] >> (2 * BITS)
        for corner in range(8):
            key = _key(x + (corner & 1), y + ((corner >> 1) & 1), z + (corner >> 2))
            at = _find(table, key, mask)
            if table[at] == -1:
                if count >= room:
                    return -1
                table[at], number[at] = key, count
                count += 1
            corners[c, corner] = number[at]
    return count


@inline
def _pair(cell, face, faces, table, number, mask, pair_cell, pair_face, parent, count):
    """Number of a face in a cell, a new one where it was not there yet."""
    key = np.int64(cell) * faces + face
    at = _find(table, key, mask)
    if table[at] == -1:
        table[at], number[at] = key, count
        pair_cell[count], pair_face[count], parent[count] = cell, face, count
        return count + 1, np.int32(count)
    return count, number[at]


@kernel(i64(i32[::1], i32[::1], i32[::1], i64, i64[::1], i32[::1], i32[::1], i32[::1], i32[::1], i32[::1]), late=True)
def number_pairs(cell_of, rows, face, faces, table, number, pair_of, pair_cell, pair_face, parent):
    """Number the faces of samples, each in each cell; −1 when there are too many. pair_of : (n,) int32 of each sample."""
    mask, count, room = np.int64(len(table) - 1), 0, len(pair_cell)
    last, last_face, known = np.int32(-1), np.int32(-1), np.int32(-1)
    for i in range(len(rows)):
        c, f = cell_of[i], face[rows[i]]
        if c != last or f != last_face:
            if count >= room:
                return -1
            count, known = _pair(c, f, faces, table, number, mask, pair_cell, pair_face, parent, count)
            last, last_face = c, f
        pair_of[i] = known
    return count


class FacePairs(NamedTuple):
    """Faces in cells: table, number : int64 and int32 of their numbers, free places −1; cell, face, parent : int32 of each, one it is joined to"""

    table: NDArray[np.int64]
    number: NDArray[np.int32]
    cell: NDArray[np.int32]
    face: NDArray[np.int32]
    parent: NDArray[np.int32]


PAIRS = numba.types.NamedTuple((i64[::1], i32[::1], i32[::1], i32[::1], i32[::1]), FacePairs)


@kernel(i64(f32[:, ::1], i32[:, ::1], f32[::1], f32, i64[::1], i32[::1], i64, PAIRS, i64), late=True)
def join_edges(positions, edges, low, inverse, cells, cell_number, faces, pairs, count):
    """Join faces in every cell in which they share a piece of an edge; −1 when there are too many pairs.

    edges : (m, 4) int32 of two vertices and two faces; cells without samples are passed over
    """
    table, number, pair_cell, pair_face, parent = pairs
    mask, cell_mask, room = np.int64(len(table) - 1), np.int64(len(cells) - 1), len(pair_cell)
    most = max(MOST_LOOKS / max(len(edges), 1), 16.0)
    for e in range(len(edges)):
        a, b = edges[e, 0], edges[e, 1]
        ax, ay, az = (positions[a, 0] - low[0]) * inverse, (positions[a, 1] - low[1]) * inverse, (positions[a, 2] - low[2]) * inverse
        bx, by, bz = (positions[b, 0] - low[0]) * inverse, (positions[b, 1] - low[1]) * inverse, (positions[b, 2] - low[2]) * inverse
        length = np.sqrt((bx - ax) ** 2 + (by - ay) ** 2 + (bz - az) ** 2)
        if not length < FARTHEST:
            continue
        steps = np.int64(max(min(np.ceil(2 * length), most), 1))
        last = np.int64(-1)
        for k in range(steps):
            t = np.float32((k + 0.5) / steps)
            x, y, z = ax + t * (bx - ax), ay + t * (by - ay), az + t * (bz - az)
            if not (x >= 0 and y >= 0 and z >= 0 and x < FARTHEST and y < FARTHEST and z < FARTHEST):
                continue
            key = _key(np.int64(x), np.int64(y), np.int64(z))
            if key == last:
                continue
            last = key
            at = _find(cells, key, cell_mask)
            if cells[at] == -1:
                continue
            if count + 2 > room:
                return -1
            count, i = _pair(cell_number[at], edges[e, 2], faces, table, number, mask, pair_cell, pair_face, parent, count)
            count, j = _pair(cell_number[at], edges[e, 3], faces, table, number, mask, pair_cell, pair_face, parent, count)
            _join(parent, i, j)
    return count


@kernel(i64(i32[::1], i32[::1]), late=True)
def number_roots(parent, number):
    """Number what hangs together, in the order of first members; gives how many there are."""
    count = 0
    for i in range(len(parent)):
        root = _root(parent, np.int32(i))
        if root == i:
            number[i] = count
            count += 1
        else:
            number[i] = number[root]
    return count


@kernel(numba.void(i32[::1], i32[::1], i32[::1], i32[::1], i32[:, ::1], i32[::1], i32[::1], i32[::1]), late=True)
def join_places(by_face, pair_cell, pair_face, comp, corners, version, first, parent):
    """Join pieces of neighbouring cells that a face belongs to both of, at each place that the cells share.

    by_face : (pairs,) in the order of their faces; comp : piece of each pair; corners : (cells, 8) places
    stamp, first : (places,) int32, stamp −1; parent : (8 · pieces,) of each piece at each corner
    """
    for n in range(len(by_face)):
        i = by_face[n]
        for k in range(8):
            place = corners[pair_cell[i], k]
            item = np.int32(8) * comp[i] + np.int32(k)
            if version[place] == pair_face[i]:
                _join(parent, item, first[place])
            else:
                version[place], first[place] = pair_face[i], item


@kernel(i64(i32[:, ::1], i64, i64[::1], i32[::1]), late=True)
def link_nodes(nodes, bit, start, index):
    """Neighbours of each node along an axis, each once, as rows of a sparse matrix; gives how many there are.

    nodes : (pieces, 8) int32; bit : 1, 2 or 4, of the axis; start : (nodes + 1,) int64, zeros; index : (8 · pieces,) int32
    """
    count = len(start) - 1
    for c in range(len(nodes)):
        for k in range(8):
            start[nodes[c, k] + 1] += 1
    for i in range(count):
        start[i + 1] += start[i]
    # Filled from the back, so that `start` ends where it began.
    for c in range(len(nodes)):
        for k in range(8):
            a = nodes[c, k]
            start[a + 1] -= 1
            index[start[a + 1]] = nodes[c, k ^ bit]
    out, end = 0, np.int64(8 * len(nodes))
    for i in range(count):
        a = start[i + 1]
        b = start[i + 2] if i + 2 <= count else end
        kept = out
        for j in range(a, b):
            seen = False
            for q in range(kept, out):
                seen = seen or index[q] == index[j]
            if not seen:
                index[out] = index[j]
                out += 1
        start[i] = kept
    # Each row's end is the next one's start.
    start[count] = out
    return out


@kernel(i64(i32[:, ::1], i64[::1], i32[::1], i32[::1], i64[::1], i32[::1]), late=True)
def link_pieces(node, holders, held_by, version, start, index):
    """The pieces that share a node with each, each once: rows start[i]:start[i + 1] of `index`; gives how many, which `index` need not hold.

    node : (pieces, 8); holders : (nodes + 1,) into held_by; stamp : (pieces,), −1; start : (pieces + 1,)
    """
    n = np.int64(0)
    for piece in range(len(node)):
        start[piece], version[piece] = n, piece
        for k in range(8):
            for j in range(holders[node[piece, k]], holders[node[piece, k] + 1]):
                other = held_by[j]
                if version[other] == piece:
                    continue
                version[other] = piece
                if n < len(index):
                    index[n] = other
                n += 1
    start[len(node)] = n
    return n
