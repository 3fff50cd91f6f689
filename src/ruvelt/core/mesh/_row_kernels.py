"""Equal rows by a hash table, and faces that hang together by union and find: each in one walk over the data."""
# mypy: disable-error-code="no-untyped-def, assignment"

import numba
import numpy as np

from ruvelt.core.kernels import inline, kernel

u32, u64, i32, i64 = numba.uint32, numba.uint64, numba.int32, numba.int64


@inline
def _hash(words, row):
    """A 64-bit mix of a row's words (the multiply and shift steps of MurmurHash3's finaliser, Appleby 2011)."""
    h = np.uint64(0x9E3779B97F4A7C15)
    for k in range(words.shape[1]):
        h ^= np.uint64(words[row, k])
        h *= np.uint64(0xFF51AFD7ED558CCD)
        h ^= h >> np.uint64(33)
    h *= np.uint64(0xC4CEB9FE1A85EC53)
    return h ^ (h >> np.uint64(29))


@kernel(i64(u32[:, ::1], i32[::1], i32[::1], i32[::1]), late=True)
def number_rows(words, table, number, first):
    """Number equal rows in the order in which they first appear; returns how many there are.

    words : (n, k); table : (a power of two above n) filled with -1; number : (n,) out; first : (n,) out, the first row of each number
    """
    mask = np.uint64(len(table) - 1)
    count = 0
    for row in range(len(words)):
        at = _hash(words, row) & mask
        while True:
            found = table[at]
            if found < 0:
                table[at] = count
                first[count] = row
                number[row] = count
                count += 1
                break
            other = first[found]
            same = True
            for k in range(words.shape[1]):
                same = same and words[other, k] == words[row, k]
            if same:
                number[row] = found
                break
            at = (at + np.uint64(1)) & mask
    return count


@inline
def root_of(parent, i):
    """The one that leads a set of joined items; halves the way there for who asks next (Tarjan 1975)."""
    while parent[i] != i:
        parent[i] = parent[parent[i]]
        i = parent[i]
    return i


@kernel(i64(i32[::1], i32[::1], i32[::1], i32[::1], i32[::1]), late=True)
def join_faces(face_starts, node, holder, parent, label):
    """Label faces that share a node, however far apart, by the order of their first faces; returns how many labels there are.

    node : (c,) of each corner; holder : (nodes,) filled with -1; parent, label : (f,) out
    """
    faces = len(face_starts) - 1
    for f in range(faces):
        parent[f] = f
    for f in range(faces):
        for c in range(face_starts[f], face_starts[f + 1]):
            other = holder[node[c]]
            if other < 0:
                holder[node[c]] = f
                continue
            a, b = root_of(parent, f), root_of(parent, other)
            # The lower face leads, so that labels come in order.
            if a < b:
                parent[b] = a
            else:
                parent[a] = b
    count = 0
    for f in range(faces):
        root = root_of(parent, f)
        if root == f:
            label[f] = count
            count += 1
        else:
            label[f] = label[root]
    return count


@kernel(numba.void(i32[::1], i32[::1], i32[::1]), late=True)
def sort_by_number(number, starts, order):
    """Items in the order of their numbers, as they come among equals; those of number n lie in `order` from starts[n]. `starts` comes as zeros."""
    for i in range(len(number)):
        starts[number[i] + 1] += 1
    for n in range(1, len(starts)):
        starts[n] += starts[n - 1]
    for i in range(len(number)):
        order[starts[number[i]]] = i
        starts[number[i]] += 1
    for n in range(len(starts) - 1, 0, -1):
        starts[n] = starts[n - 1]
    starts[0] = 0
