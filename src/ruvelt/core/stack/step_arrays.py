"""The steps of an evaluation, as kernels take them: one argument."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray


class StepArrays(NamedTuple):
    """kinds : (n,) int8; modes : (n,) int32; loops : (n,) int64 of their formulas, as `blend.loop_of` gives them; strengths : (n,) float32

    planes, masks : (n,) int64 addresses of (components + 1, 65536) and (65536,) uint16, 0 for no mask; of a FOLDED step see `fold_runs`; of a
    TABLE step (65536,) float32: the new value of each encoded code
    consts : (n, components) float32 in working space
    """

    kinds: NDArray[np.int8]
    modes: NDArray[np.int32]
    loops: NDArray[np.int64]
    strengths: NDArray[np.float32]
    planes: NDArray[np.int64]
    masks: NDArray[np.int64]
    consts: NDArray[np.float32]


#: Its type in kernels.
STEPS = numba.types.NamedTuple(
    (numba.int8[::1], numba.int32[::1], numba.int64[::1], numba.float32[::1], numba.int64[::1], numba.int64[::1], numba.float32[:, ::1]), StepArrays
)
