"""What smear hands its kernels."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
I64 = NDArray[np.int64]
U8 = NDArray[np.uint8]
_f32, _f64, _i64, _u8 = numba.float32, numba.float64, numba.int64, numba.uint8


class Carrying(NamedTuple):
    """dabs : (n, WIDTH); frames : (n, 6) axes of what they carry, see `carry_frames`; nodes : along a side of that picture, whose half side is
    `extent` radii; stride : every so many samples each way it takes paint up."""

    dabs: F32
    frames: F32
    nodes: int
    extent: float
    stride: int


class Limits(NamedTuple):
    """allowed : (slots,) 0 for samples no stroke may touch, or size 0; confined : (chunks,) addresses of (65536,) uint16 weights, or size 0"""

    allowed: U8
    confined: I64


class Laying(NamedTuple):
    """What is painted on.

    pictures : (cells, chunks) addresses of what was there, (65536, 4) uint16; past, past_known : (n, cells, nodes², 4), (n, nodes²) what the
    brush carried when each dab was laid; laid : (cells, packed slots, 4) paint by coverage; coverage : (slots,); dirty : (chunks, 256)
    """

    pictures: I64
    past: F32
    past_known: F32
    laid: F32
    coverage: F32
    dirty: U8


class Load(NamedTuple):
    """What brushes carry.

    copy : (n,) which mirrored one a dab is; fades : (n,) share of what is carried that each step replaces by what is met
    carried, known : (copies, cells, nodes², 4), (copies, nodes²) what each mirrored brush carries, and whether it does
    met, took, weights, shares : (cells, nodes², 4) and (nodes²,), twice each, to work in
    """

    copy: I64
    fades: F32
    wetness: float
    carried: F32
    known: F32
    met: F32
    took: F32
    weights: F32
    shares: F32


_two, _three, _four = _f32[:, ::1], _f32[:, :, ::1], _f32[:, :, :, ::1]
#: Their types in kernels.
CARRYING = numba.types.NamedTuple((_two, _two, _i64, _f64, _i64), Carrying)
LIMITS = numba.types.NamedTuple((_u8[::1], _i64[::1]), Limits)
LAYING = numba.types.NamedTuple((_i64[:, ::1], _four, _two, _three, _f32[::1], _u8[:, ::1]), Laying)
LOAD = numba.types.NamedTuple((_i64[::1], _f32[::1], _f64, _four, _two, _three, _three, _f32[::1], _f32[::1]), Load)
