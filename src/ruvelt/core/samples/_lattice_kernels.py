"""Kernels of the surface lattice: values from samples to its nodes and back."""

# mypy: disable-error-code="no-untyped-def"
import numba
import numpy as np

from ruvelt.core.kernels import f32_scratch, inline, kernel

f32, i32, i64 = numba.float32, numba.int32, numba.int64


@inline
def _shares(positions, s, low, inverse, shares):
    """Trilinear shares of a sample in the corners of its cell."""
    fx, fy, fz = (positions[s, 0] - low[0]) * inverse, (positions[s, 1] - low[1]) * inverse, (positions[s, 2] - low[2]) * inverse
    fx, fy, fz = fx - np.floor(fx), fy - np.floor(fy), fz - np.floor(fz)
    one = np.float32(1)
    gx, gy, gz = one - fx, one - fy, one - fz
    shares[0], shares[1], shares[2], shares[3] = gx * gy * gz, fx * gy * gz, gx * fy * gz, fx * fy * gz
    shares[4], shares[5], shares[6], shares[7] = gx * gy * fz, fx * gy * fz, gx * fy * fz, fx * fy * fz


#: A set of arrays that tell where samples lie on the lattice, in the order of the kernels' first arguments.
PLACED = (f32[:, ::1], i32[::1], f32[::1], f32[::1], f32, i32[::1], i32[:, ::1])


@kernel(numba.void(*PLACED, i64, i64, numba.uint16[:, ::1], f32[:, ::1]), late=True)
def to_nodes(positions, rows, areas, low, inverse, piece_of, node, first, last, values_u16, out):
    """Add the samples first … last, weighed by area, to the nodes. codes : (k, rows) uint16, or (0, 0) to sum the areas; out : (k or 1, nodes)."""
    shares, held = f32_scratch(8), f32_scratch(8)
    u = np.float32(1 / 65535)
    # Neighbours mostly lie in the same piece: what they add is put down once for all of them.
    for k in range(len(out)):
        last_piece = np.int32(-1)
        for c in range(8):
            held[c] = np.float32(0)
        for i in range(first, last):
            s, piece = rows[i], piece_of[i]
            if piece != last_piece:
                for c in range(8 if last_piece >= 0 else 0):
                    out[k, node[last_piece, c]] += held[c]
                for c in range(8):
                    held[c] = np.float32(0)
                last_piece = piece
            _shares(positions, s, low, inverse, shares)
            weight = areas[i] * (np.float32(values_u16[k, s]) * u) if len(values_u16) > 0 else areas[i]
            for c in range(8):
                held[c] += shares[c] * weight
        for c in range(8 if last_piece >= 0 else 0):
            out[k, node[last_piece, c]] += held[c]


@kernel(numba.void(*PLACED, i64, i64, f32[:, ::1], numba.uint16[:, ::1]), late=True)
def from_nodes(positions, rows, areas, low, inverse, piece_of, node, first, last, values, out):
    """Read the samples first … last from the nodes into (k, rows) uint16 codes."""
    shares, held = f32_scratch(8), f32_scratch(8)
    one, zero = np.float32(1), np.float32(0)
    for k in range(len(values)):
        last_piece = np.int32(-1)
        for i in range(first, last):
            s, piece = rows[i], piece_of[i]
            if piece != last_piece:
                for c in range(8):
                    held[c] = values[k, node[piece, c]]
                last_piece = piece
            _shares(positions, s, low, inverse, shares)
            total = zero
            for c in range(8):
                total += shares[c] * held[c]
            total = min(max(total, zero), one)
            out[k, s] = np.uint16(np.int32(total * np.float32(65535) + np.float32(0.5)))


@kernel(numba.void(i64[::1], i32[::1], f32, f32[::1], f32[::1]), late=True)
def smooth_along(start, index, share, values, out):
    """One pass of [s/4, 1 − s/2, s/4] along an axis, of which start and index are the neighbours; those that are missing count as 0."""
    side, centre = share / np.float32(4), np.float32(1) - share / np.float32(2)
    for i in range(len(values)):
        total = np.float32(0)
        for j in range(start[i], start[i + 1]):
            total += values[index[j]]
        out[i] = centre * values[i] + side * total
