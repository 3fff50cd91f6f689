"""Clumps of neighbouring samples, through which wide means over the surface are taken at a fraction of the cost."""

from __future__ import annotations

from dataclasses import dataclass
from threading import Lock
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._clump_kernels import gather_clumps
from ruvelt.core.samples.surface import SurfaceSamples

#: Clumps aimed at inside a radius, however wide: smooth pictures are then right to a hundredth, hard edges to a twentieth.
IN_RADIUS = 100
LARGEST = 64
#: Empty clumps after the last, for loops that take eight at once.
SPARE = 8


@dataclass(frozen=True, eq=False)
class Clumps:
    """start : (cells + 1,) int32 into the clumps; first : (n + 1,) int32 into `order`, of the grid's sorted samples

    most : samples in one; middle : (3, n) float32 object space; facing : (3, n) float32 unit normals; mass : (n,) float32 area
    piece : (n,) int32, the piece of the surface that each lies in, see GridPieces; slot_piece : (slots,) int32 of each sample, -1 for none
    """

    most: int
    order: NDArray[np.int32]
    start: NDArray[np.int32]
    first: NDArray[np.int32]
    middle: NDArray[np.float32]
    facing: NDArray[np.float32]
    mass: NDArray[np.float32]
    piece: NDArray[np.int32]
    slot_piece: NDArray[np.int32]


_KEPT: WeakKeyDictionary[SurfaceSamples, dict[int, Clumps]] = WeakKeyDictionary()
_LOCK = Lock()


def clumps_of(samples: SurfaceSamples, radius: float) -> Clumps:
    """Clumps for means within `radius` (object units); the last few sizes are kept as long as the samples."""
    inside = np.pi * (radius / samples.spacing) ** 2
    most = int(np.clip(2 ** np.floor(np.log2(max(inside / IN_RADIUS, 1))), 1, LARGEST))
    with _LOCK:
        kept = _KEPT.setdefault(samples, {})
        if most not in kept:
            while len(kept) >= 3:
                del kept[next(iter(kept))]
            kept[most] = _gather(samples, most)
        return kept[most]


def _gather(samples: SurfaceSamples, most: int) -> Clumps:
    grid, pieces = samples.grid, samples.grid_pieces
    n = len(grid.slot)
    order, held_in = np.empty(n, np.int32), np.empty(n + SPARE, np.int32)
    slot_piece = np.full(samples.slot_count, -1, np.int32)
    slot_piece[grid.slot] = pieces.piece
    start, first = np.empty(len(grid.start), np.int32), np.empty(n + 1, np.int32)
    middle, facing, mass = np.zeros((3, n + SPARE), np.float32), np.zeros((3, n + SPARE), np.float32), np.zeros(n + SPARE, np.float32)
    of = (grid.start, grid.xyz, grid.normal, samples.grid_areas, pieces.piece, grid.low, np.float32(1 / grid.cell), most)
    count = int(gather_clumps(*of, order, start, first, middle, facing, mass, held_in))
    return Clumps(
        most,
        order,
        start,
        first[: count + 1].copy(),
        np.ascontiguousarray(middle[:, : count + SPARE]),
        np.ascontiguousarray(facing[:, : count + SPARE]),
        mass[: count + SPARE].copy(),
        held_in[: count + SPARE].copy(),
        slot_piece,
    )
