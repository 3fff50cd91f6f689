"""What kernels ask of samples, as one argument."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples.grid import GRID, SampleGrid

_f32 = numba.float32


class SampleArrays(NamedTuple):
    """See SurfaceSamples. side : of the sheet in texels, 0 for vertices"""

    position: NDArray[np.float32]
    normal: NDArray[np.float32]
    face: NDArray[np.int32]
    side: int
    spacing: float
    is_sheet: bool
    grid: SampleGrid


#: Their type in kernels.
SAMPLES = numba.types.NamedTuple((_f32[:, ::1], _f32[:, ::1], numba.int32[::1], numba.int64, numba.float64, numba.boolean, GRID), SampleArrays)
#: Runs of samples of a chunk: where they start, and how many each has.
RUNS = numba.types.UniTuple(numba.int32[::1], 2)
