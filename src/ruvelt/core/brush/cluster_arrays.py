"""What soften hands its kernels."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
_f32, _i32, _i64 = numba.float32, numba.int32, numba.int64


class Clusters(NamedTuple):
    """Neighbouring samples of a cell of the grid, taken together.

    most : samples in one; order : (n,) samples as clusters take them; start : (cells + 1,) into clusters; first : (clusters + 1,) into `order`
    middle : (3, n) float32 object space; facing : (3, n) float32 unit normals; mass : (n,) float32 area
    piece : (n,) int32, the piece of the surface that each lies in, see GridPieces; slot_piece : (slots,) int32 of each sample, -1 for none
    """

    most: int
    order: I32
    start: I32
    first: I32
    middle: F32
    facing: F32
    mass: F32
    piece: I32
    slot_piece: I32


class Nodes(NamedTuple):
    """Means of a chunk at every `step`-th texel each way and at the edges beyond.

    known : ((256 / step + 1)²,) slot of a node plus one, 0 before it is asked, -1 where there is no texel or it has no neighbours
    values : (the same, 4)
    """

    step: int
    known: I32
    values: F32


class Into(NamedTuple):
    """Where means go.

    picture : address of the chunk's own (comps, 65536), for samples without neighbours; out : (comps, 65536) uint16
    multiplied : colours are by alpha, the last, and are taken apart
    """

    picture: int
    comps: int
    multiplied: bool
    out: NDArray[np.uint16]


#: Their types in kernels.
CLUSTERS = numba.types.NamedTuple((_i64, _i32[::1], _i32[::1], _i32[::1], _f32[:, ::1], _f32[:, ::1], _f32[::1], _i32[::1], _i32[::1]), Clusters)
NODES = numba.types.NamedTuple((_i64, _i32[::1], _f32[:, ::1]), Nodes)
INTO = numba.types.NamedTuple((_i64, _i64, numba.boolean, numba.uint16[:, ::1]), Into)
