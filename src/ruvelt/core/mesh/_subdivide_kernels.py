"""Loops of one step of subdivision."""

# mypy: disable-error-code="no-untyped-def"
from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import kernel

f64, i32, i64, u8 = numba.float64, numba.int32, numba.int64, numba.uint8


@kernel(i64(i32[::1], i32[::1], i32[::1], i32[::1], i32[::1]), late=True)
def number_edges(face_starts, vertex, table, key_low, edge_of):
    """Number the edges of polygons in the order in which they first appear: edge_of (c,) the edge from each corner to the next; their count.

    vertex : (c,) of each corner; table : a power of two of −1, at least twice the corners; key_low : (2 c,) room for the ends, lower first
    """
    count, mask = 0, len(table) - 1
    for f in range(len(face_starts) - 1):
        first, end = face_starts[f], face_starts[f + 1]
        for c in range(first, end):
            a, b = vertex[c], vertex[c + 1 if c + 1 < end else first]
            low, high = (a, b) if a < b else (b, a)
            at = (np.int64(low) * np.int64(73856093) ^ np.int64(high) * np.int64(19349663)) & mask
            at = (at ^ (at >> 7)) & mask
            while True:
                e = table[at]
                if e < 0:
                    table[at] = count
                    key_low[2 * count], key_low[2 * count + 1] = low, high
                    edge_of[c] = count
                    count += 1
                    break
                if key_low[2 * e] == low and key_low[2 * e + 1] == high:
                    edge_of[c] = e
                    break
                at = (at + 1) & mask
    return count


class Around(NamedTuple):
    """Sums of what meets, zeros at first. met : (e, 3) middles of the faces at each edge, other : (e,) their count

    around, ring, along : (v, 3) middles of faces, of edges, and the other ends of sharp edges; counts : (v, 3) faces, edges, sharp edges
    """

    met: NDArray[np.float64]
    other: NDArray[np.int32]
    around: NDArray[np.float64]
    ring: NDArray[np.float64]
    along: NDArray[np.float64]
    counts: NDArray[np.int32]


AROUND = numba.types.NamedTuple((f64[:, ::1], i32[::1], f64[:, ::1], f64[:, ::1], f64[:, ::1], i32[:, ::1]), Around)


@kernel(numba.void(f64[:, ::1], i32[::1], i32[::1], i32[::1], i32[:, ::1], u8[::1], numba.boolean, AROUND, f64[:, ::1]), late=True)
def subdivided_places(places, face_starts, vertex, edge_of, ends, sharp, smooth, sums, out):
    """Places of (v + e + f) vertices: those there were, one on each edge, one in each face (Catmull and Clark 1978).

    places : (v, 3); vertex, edge_of : (c,); ends : (e, 2); sharp : (e,) edges that stay as they are, borders among them; smooth : else edges
    are halved and nothing moves. A vertex between two sharp edges follows their curve; at more of them, or in a single face of a
    border, it stays (DeRose, Kass and Truong 1998).
    """
    v, e, f = len(places), len(ends), len(face_starts) - 1
    met, other, around, ring, along, counts = sums
    for i in range(f):
        first, end = face_starts[i], face_starts[i + 1]
        x, y, z = 0.0, 0.0, 0.0
        for c in range(first, end):
            x += places[vertex[c], 0]
            y += places[vertex[c], 1]
            z += places[vertex[c], 2]
        n = np.float64(end - first)
        x, y, z = x / n, y / n, z / n
        out[v + e + i, 0], out[v + e + i, 1], out[v + e + i, 2] = x, y, z
        for c in range(first, end):
            a, k = vertex[c], edge_of[c]
            met[k, 0] += x
            met[k, 1] += y
            met[k, 2] += z
            other[k] += 1
            around[a, 0] += x
            around[a, 1] += y
            around[a, 2] += z
            counts[a, 0] += 1
    for k in range(e):
        a, b = ends[k, 0], ends[k, 1]
        plain = not smooth or sharp[k] != 0
        counts[a, 1] += 1
        counts[b, 1] += 1
        if plain:
            counts[a, 2] += 1
            counts[b, 2] += 1
        for j in range(3):
            middle = 0.5 * (places[a, j] + places[b, j])
            ring[a, j] += middle
            ring[b, j] += middle
            if plain:
                out[v + k, j] = middle
                along[a, j] += places[b, j]
                along[b, j] += places[a, j]
            else:
                out[v + k, j] = 0.5 * middle + 0.5 * met[k, j] / other[k]
    for a in range(v):
        n, faces, creases = np.float64(counts[a, 1]), counts[a, 0], counts[a, 2]
        for j in range(3):
            p = places[a, j]
            if not smooth or n == 0 or creases > 2 or (creases == 2 and faces == 1):
                out[a, j] = p
            elif creases == 2:
                out[a, j] = 0.75 * p + 0.125 * along[a, j]
            else:
                out[a, j] = (around[a, j] / faces + 2 * ring[a, j] / n + (n - 3) * p) / n


@kernel(numba.void(i32[::1], i32[::1], i32[::1], i32[:, ::1], i64, i32[::1], i32[::1], i32[:, ::1]), late=True)
def subdivided_loops(face_starts, vertex, edge_of, ends, v, loops, edges, fine_ends):
    """A quad for each corner there was: the vertex, the edge after it, the face, the edge before it; and its edges without any search.

    loops, edges : (4 c,) vertices, and the edge from each to the next; fine_ends : (2 e + c, 2) of the halves of each edge, by its ends, then
    of those from the edge after each corner to its face
    """
    e = len(ends)
    for k in range(e):
        fine_ends[2 * k, 0], fine_ends[2 * k, 1] = ends[k, 0], v + k
        fine_ends[2 * k + 1, 0], fine_ends[2 * k + 1, 1] = ends[k, 1], v + k
    for f in range(len(face_starts) - 1):
        first, end = face_starts[f], face_starts[f + 1]
        for c in range(first, end):
            before = c - 1 if c > first else end - 1
            here, after, back = vertex[c], edge_of[c], edge_of[before]
            loops[4 * c], loops[4 * c + 1] = here, v + after
            loops[4 * c + 2], loops[4 * c + 3] = v + e + f, v + back
            fine_ends[2 * e + c, 0], fine_ends[2 * e + c, 1] = v + after, v + e + f
            edges[4 * c] = 2 * after + (0 if ends[after, 0] == here else 1)
            edges[4 * c + 1], edges[4 * c + 2] = 2 * e + c, 2 * e + before
            edges[4 * c + 3] = 2 * back + (0 if ends[back, 0] == here else 1)


@kernel(numba.void(numba.uint16[:, ::1], i32[::1], i32[::1], i32[:, ::1], numba.uint16[:, ::1]), late=True)
def subdivided_values(values_u16, face_starts, vertex, ends, out):
    """Values between vertices: means of the ends on edges and of the corners in faces, rounded; what is not there does not count.

    values_u16 : (k, v), straight, coverage last; coverage is a plain mean, and values are weighted by it; out : (k, v + e + f)
    """
    last = len(values_u16) - 1
    cover, covered = values_u16[last], out[last]
    v, e = len(cover), len(ends)
    for i in range(e):
        a, b = ends[i, 0], ends[i, 1]
        covered[v + i] = np.uint16((np.uint32(cover[a]) + np.uint32(cover[b]) + np.uint32(1)) >> np.uint32(1))
    for f in range(len(face_starts) - 1):
        total, n = np.int64(0), face_starts[f + 1] - face_starts[f]
        for c in range(face_starts[f], face_starts[f + 1]):
            total += cover[vertex[c]]
        covered[v + e + f] = np.uint16((2 * total + n) // (2 * n))
    for i in range(v):
        covered[i] = cover[i]
    for k in range(last):
        here, to = values_u16[k], out[k]
        for i in range(v):
            to[i] = here[i]
        for i in range(e):
            a, b = ends[i, 0], ends[i, 1]
            wa, wb = np.int64(cover[a]), np.int64(cover[b])
            if wa + wb == 0:
                wa, wb = np.int64(1), np.int64(1)
            to[v + i] = np.uint16((2 * (wa * here[a] + wb * here[b]) + wa + wb) // (2 * (wa + wb)))
        for f in range(len(face_starts) - 1):
            first, end = face_starts[f], face_starts[f + 1]
            total, weight = np.int64(0), np.int64(0)
            for c in range(first, end):
                w = np.int64(cover[vertex[c]])
                total += w * here[vertex[c]]
                weight += w
            if weight == 0:
                for c in range(first, end):
                    total += here[vertex[c]]
                weight = np.int64(end - first)
            to[v + e + f] = np.uint16((2 * total + weight) // (2 * weight))
