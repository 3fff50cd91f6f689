"""What kernels ask of a brush's tip, as one argument."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

U64 = NDArray[np.uint64]
_u64, _f64 = numba.uint64, numba.float64


class GrainSettings(NamedTuple):
    """picture : (side, side) as of tips.quads, (1, 1) for none; size : object units, texels on the flat sheet; fixed : to the surface"""

    picture: U64
    depth: float
    size: float
    fixed: bool


class TipPictures(NamedTuple):
    """pictures : (k, side, side) as of tips.quads, (1, 1, 1) of a round tip; reach : how far a dab reaches, radii; build : how dabs add up"""

    pictures: U64
    grain: GrainSettings
    reach: float
    build: int


class SweptPictures(NamedTuple):
    """tables, turns : see Sweeps.parts"""

    tables: U64
    turns: NDArray[np.float32]


class DabPattern(NamedTuple):
    """How rich dabs differ along a stroke. tips : how many; flip : 0 never, 1 every second, 2 at random

    mixing : 0 none, 1 along the stroke in turns of `length` diameters, 2 at random; spacing : diameters from stop to stop, 0 where strokes are
    swept; spread : (3,) float64 of hue, saturation and value
    """

    tips: int
    flip: int
    mixing: int
    length: float
    spacing: float
    spread: NDArray[np.float64]


NO_GRAIN = GrainSettings(np.zeros((1, 1), np.uint64), 0.0, 1.0, True)
#: A plain round tip.
NO_TIP = TipPictures(np.zeros((0, 1, 1), np.uint64), NO_GRAIN, 1.0, 0)
#: Their types in kernels.
GRAIN = numba.types.NamedTuple((_u64[:, ::1], _f64, _f64, numba.boolean), GrainSettings)
TIPS = numba.types.NamedTuple((_u64[:, :, ::1], GRAIN, _f64, numba.int64), TipPictures)
SWEPT = numba.types.NamedTuple((_u64[:, :, ::1], numba.float32[:, ::1]), SweptPictures)
PATTERN = numba.types.NamedTuple((numba.int64, numba.int64, numba.int64, _f64, _f64, _f64[::1]), DabPattern)
