"""Pieces of the surface in the cells of a grid, as kernels take them."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

I32 = NDArray[np.int32]
_i32 = numba.int32


class GridPieces(NamedTuple):
    """Pieces of the cells of a grid of samples.

    piece : (n,) int32 of each sample in the grid's order; place : (pieces, 3) int32 the cell each lies in
    start : (pieces + 1,) int64 into `beside`, int32: the pieces of neighbouring cells that each hangs together with
    """

    piece: I32
    place: I32
    start: NDArray[np.int64]
    beside: I32


class PieceScratch(NamedTuple):
    """What a search over pieces works in. mark : (pieces + 1,) int32 when each was last reached, −1 at first; queue : (pieces,) int32"""

    mark: I32
    queue: I32

    @staticmethod
    def of(pieces: GridPieces) -> PieceScratch:
        count = len(pieces.place)
        return PieceScratch(np.full(count + 1, -1, np.int32), np.empty(count, np.int32))


#: Their types in kernels.
PIECES = numba.types.NamedTuple((_i32[::1], _i32[:, ::1], numba.int64[::1], _i32[::1]), GridPieces)
SCRATCH = numba.types.NamedUniTuple(_i32[::1], 2, PieceScratch)
