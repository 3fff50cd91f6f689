"""Packing islands into squares: as bits on a grid, largest first, each at the lowest place where one of its turns fits."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh._pack_kernels import cover_cells, first_fit, put

F32 = NDArray[np.float32]
Tick = Callable[[str], None]
#: Cells a side of the grid that islands are packed on.
GRID = 512
#: Turns that are tried, as shares of a whole one, beside those that make the box smallest; the many small ones take what comes first.
TURNS = (0.0, 0.25, 0.5, 0.75)
MOST_TURNED = 160
#: Other orders that are tried in a row before packing is left as it is, for two dozen islands, and by how much islands grow at a time.
TRIES, GROWTH = 24, 1.01
#: Steps by which the largest scale that fits is found.
STEPS = 9


@dataclass(frozen=True, eq=False)
class Island:
    """Triangles of the model by row, their (t, 3) corners into (n, 2) places, counter-clockwise; distances in object units."""

    rows: NDArray[np.int64]
    corners: NDArray[np.int32]
    places: F32

    @property
    def area(self) -> float:
        p = self.places[self.corners].astype(np.float64)
        a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
        return float(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2)


def upright(island: Island) -> Island:
    """The island turned so that its box is smallest, and not mirrored: a box's sides lie along those of its hull."""
    from scipy.spatial import ConvexHull, QhullError

    places = island.places.astype(np.float64)
    p = places[island.corners]
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    if (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() < 0:
        places = places * [-1, 1]
    try:
        hull = places[ConvexHull(places).vertices]
    except (QhullError, ValueError):
        hull = places
    sides = np.roll(hull, -1, axis=0) - hull
    angles = np.unique(np.round(np.arctan2(sides[:, 1], sides[:, 0]) % (np.pi / 2), 6))[:720]
    boxes = [np.prod(np.ptp(hull @ _turn(-angle).T, axis=0)) for angle in angles]
    turned = places @ _turn(-float(angles[int(np.argmin(boxes))])).T
    return Island(island.rows, island.corners, (turned - turned.min(axis=0)).astype(np.float32))


def _turn(angle: float) -> NDArray[np.float64]:
    return np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])


@dataclass(frozen=True, eq=False)
class Packed:
    """Places of islands in the unit square, at `scale` squares an object unit."""

    places: tuple[F32, ...]
    scale: float

    def shrunk(self, scale: float) -> Packed:
        """The same at a scale no larger than it has."""
        return Packed(tuple((p * np.float32(scale / self.scale)).astype(np.float32) for p in self.places), scale)


def pack(islands: Sequence[Island], padding: float, scale: float | None = None, tick: Tick = lambda what: None) -> Packed:
    """Islands as large as fit into the unit square, or at a given scale that is known to fit.

    padding : the least distance between islands and to the border, as a share of the square; tick(what) may raise to stop. Raises InputError
    where padding alone takes the square.
    """
    ready = [upright(i) for i in islands]
    # By their boxes: rings come before what fits into them.
    order = sorted(range(len(ready)), key=lambda i: -float(np.prod(np.ptp(ready[i].places, axis=0))))
    total = sum(i.area for i in ready)
    longest = max((float(np.ptp(i.places, axis=0).max()) for i in ready), default=1.0)
    if scale is not None:
        found = _at(ready, order, padding, scale, tick)
        if found is not None:
            return Packed(found, scale)
    high = min(1 / max(total, 1e-30) ** 0.5, 1.4 / max(longest, 1e-30))
    if scale is not None:
        high = min(high, scale)
    low, best = high, None
    while best is None:
        low *= 0.8
        best = _at(ready, order, padding, low, tick)
        if best is None and low < high * 1e-4:
            raise InputError(f"{len(ready):,} islands do not fit into one sheet with that padding. Take less padding or fewer islands.")
    high = min(high, low / 0.8)
    for _ in range(STEPS):
        middle = (low + high) / 2
        some = _at(ready, order, padding, middle, tick)
        if some is None:
            high = middle
        else:
            low, best = middle, some
        if high / low < 1.004:
            break
    return _tightened(ready, order, padding, low, best, tick)


def _tightened(islands: Sequence[Island], order: Sequence[int], padding: float, scale: float, best: tuple[F32, ...], tick: Tick) -> Packed:
    """A little larger with islands in other orders, as long as that goes on to fit; few islands get more tries. Seeded."""
    rng, order = np.random.default_rng(0), list(order)
    left = tries = max(4, min(TRIES, TRIES * 12 // max(len(islands), 1)))
    while left > 0:
        other = list(order)
        for _ in range(int(rng.integers(1, 4))):
            # Mostly among the large ones: the small ones fit between them anyhow.
            i, j = (int(len(other) * rng.random() ** 2) for _ in range(2))
            other[i], other[j] = other[j], other[i]
        some = _at(islands, other, padding, scale * GROWTH, tick)
        if some is None:
            left -= 1
        else:
            best, order, scale, left = some, other, scale * GROWTH, tries
    return Packed(best, scale)


def _at(islands: Sequence[Island], order: Sequence[int], padding: float, scale: float, tick: Tick) -> tuple[F32, ...] | None:
    """Places of islands at a scale, or None where one does not fit."""
    # Half the padding around each island; half to the border is the other half around the grid itself.
    inner = 1 - padding
    cell = inner / GRID
    room = padding / 2 / cell
    whole = int(np.floor(room))
    atlas = np.zeros((GRID, GRID // 64 + 2), np.uint64)
    out: list[F32 | None] = [None] * len(islands)
    first = 0
    for count, i in enumerate(order):
        if count % 16 == 0:
            tick("Packing")
        best: tuple[int, int, int, F32] | None = None
        turns = TURNS if count < MOST_TURNED else TURNS[:2]
        for turn in turns:
            places = islands[i].places.astype(np.float64) @ _turn(2 * np.pi * turn).T * (scale / cell)
            places = places - places.min(axis=0) + (room + 0.001)
            width, height = (int(v) + 1 for v in np.ceil(places.max(axis=0) + room + 0.001) - 1)
            if width > GRID or height > GRID:
                continue
            bits = np.zeros((height, width // 64 + 1), np.uint64)
            grid_places = np.ascontiguousarray(places, np.float32)
            cover_cells(grid_places, islands[i].corners, whole + (room > whole), bits)
            place = int(first_fit(atlas, bits, width, height, GRID, first if count >= MOST_TURNED else 0))
            if place < 0:
                continue
            y, x = divmod(place, GRID)
            # The lowest top, then the place furthest left.
            if best is None or (y + height, x) < best[:2]:
                best = (y + height, x, y, grid_places)
                chosen = bits
        if best is None:
            return None
        _, x, y, grid_places = best
        put(atlas, chosen, x, y)
        if count >= MOST_TURNED:
            # The small ones come in falling size: where one found no place the next ones look on from.
            first = y * GRID
        out[i] = ((grid_places + np.array([x, y])) * cell + padding / 2).astype(np.float32)
    return tuple(p for p in out if p is not None)
