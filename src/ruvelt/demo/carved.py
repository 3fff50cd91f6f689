"""Solids told by distances, and their surface as a mesh of quads."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

F64 = NDArray[np.float64]
Distance = Callable[[F64], F64]
#: Cells of a block that is looked at, or left out, as one.
BLOCK = 8


def ball(p: F64, at: tuple[float, float, float], radius: float) -> F64:
    found: F64 = np.linalg.norm(p - np.array(at), axis=-1) - radius
    return found


def ellipsoid(p: F64, at: tuple[float, float, float], radii: tuple[float, float, float], turn: F64 | None = None) -> F64:
    """About the distance to an ellipsoid: right at its surface, and never far off near it."""
    q = p - np.array(at)
    q = q if turn is None else q @ turn
    r = np.array(radii)
    k0, k1 = np.linalg.norm(q / r, axis=-1), np.linalg.norm(q / r**2, axis=-1)
    return k0 * (k0 - 1) / np.maximum(k1, 1e-9)  # type: ignore[no-any-return]


def cone(p: F64, a: tuple[float, float, float], b: tuple[float, float, float], ra: float, rb: float) -> F64:
    """Between two balls of radii `ra` and `rb`."""
    start, along = np.array(a), np.array(b) - np.array(a)
    t = np.clip((p - start) @ along / (along @ along), 0, 1)
    return np.linalg.norm(p - start - t[..., None] * along, axis=-1) - (ra + (rb - ra) * t)  # type: ignore[no-any-return]


def joined(a: F64, b: F64, soft: float) -> F64:
    """The union of two solids with a fillet of about `soft`."""
    h = np.clip(0.5 + 0.5 * (b - a) / soft, 0, 1)
    return b + (a - b) * h - soft * h * (1 - h)  # type: ignore[no-any-return]


def onto(distance: Distance, points: F64, steps: int = 5) -> F64:
    """(n, 3) points moved to the surface along its gradient."""
    p = np.array(points, np.float64)
    for _ in range(steps):
        slope = gradient(distance, p)
        p -= distance(p)[:, None] * slope / np.maximum((slope**2).sum(axis=1, keepdims=True), 1e-9)
    return p


def gradient(distance: Distance, p: F64, step: float = 1e-4) -> F64:
    """(n, 3) by central differences."""
    ways = np.eye(3) * step
    return np.stack([(distance(p + w) - distance(p - w)) / (2 * step) for w in ways], axis=1)


def quads_of(distance: Distance, low: tuple[float, float, float], high: tuple[float, float, float], cell: float) -> tuple[F64, NDArray[np.int32]]:
    """The surface of a solid as (v, 3) vertices and (q, 4) int32 quads, seen from outside counter-clockwise.

    Surface nets (Gibson 1998): one vertex in each cell that the surface passes through, at the mean of its crossings of the cell's edges.
    """
    count = np.ceil((np.array(high) - low) / cell / BLOCK).astype(int) * BLOCK
    values = _sampled(distance, np.array(low), count + 1, cell)
    inside = values < 0
    number, places = _vertices(values, inside, np.array(low), cell)
    quads = []
    for axis in range(3):
        one, other = (axis + 1) % 3, (axis + 2) % 3
        # Edges along the axis that the surface crosses, away from the rim of the box; the four cells around each.
        cut = [slice(1, n) for n in count]
        cut[axis] = slice(0, count[axis])
        ahead = list(cut)
        ahead[axis] = slice(1, count[axis] + 1)
        a, b = inside[tuple(cut)], inside[tuple(ahead)]
        at = np.argwhere(a != b) + [0 if k == axis else 1 for k in range(3)]
        leaving = a[a != b]
        around = []
        for da, db in ((-1, -1), (0, -1), (0, 0), (-1, 0)):
            move = np.zeros(3, int)
            move[one], move[other] = da, db
            around.append(number[tuple((at + move).T)])
        found = np.stack(around, axis=1)
        quads.append(np.where(leaving[:, None], found, found[:, ::-1]))
    return places, np.concatenate(quads).astype(np.int32)


def _sampled(distance: Distance, low: F64, count: NDArray[np.int_], cell: float) -> NDArray[np.float32]:
    """Distances at the corners of cells; blocks far from the surface have that of their middle."""
    blocks = (count - 1) // BLOCK
    middle = (np.indices(tuple(blocks)).reshape(3, -1).T + 0.5) * BLOCK * cell + low
    far = distance(middle)
    values = np.empty(tuple(count), np.float32)
    near = np.abs(far) < 1.6 * BLOCK * cell
    steps = np.arange(BLOCK + 1)
    inner = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1) * cell
    for i in np.concatenate([np.flatnonzero(~near), np.flatnonzero(near)]):
        at = np.array(np.unravel_index(i, tuple(blocks))) * BLOCK
        part = tuple(slice(a, a + BLOCK + 1) for a in at)
        values[part] = distance(inner + low + at * cell) if near[i] else far[i]
    return values


def _vertices(values: NDArray[np.float32], inside: NDArray[np.bool_], low: F64, cell: float) -> tuple[NDArray[np.int64], F64]:
    """The number of each cell's vertex, −1 where it has none, and the (v, 3) places."""
    corner = [(i, j, k) for i in (0, 1) for j in (0, 1) for k in (0, 1)]
    n = np.array(values.shape) - 1
    parts = {c: tuple(slice(c[k], n[k] + c[k]) for k in range(3)) for c in corner}
    some = np.zeros(tuple(n), bool)
    every = np.ones(tuple(n), bool)
    for c in corner:
        some |= inside[parts[c]]
        every &= inside[parts[c]]
    rows = np.argwhere(some & ~every)
    number = np.full(tuple(n), -1, np.int64)
    number[tuple(rows.T)] = np.arange(len(rows))
    sums, crossings = np.zeros((len(rows), 3)), np.zeros(len(rows))
    for c in corner:
        for axis in range(3):
            if c[axis]:
                continue
            d = list(c)
            d[axis] = 1
            a, b = values[tuple((rows + c).T)].astype(np.float64), values[tuple((rows + d).T)].astype(np.float64)
            met = (a < 0) != (b < 0)
            t = np.where(met, a / np.where(met, a - b, 1), 0)
            place = np.array(c, float) + t[:, None] * np.eye(3)[axis]
            sums += np.where(met[:, None], place, 0)
            crossings += met
    return number, (rows + sums / crossings[:, None]) * cell + low
