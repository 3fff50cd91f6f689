"""The order of places along a curve that fills space: what is near in space is near in the order."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def along_curve(positions: NDArray[np.float32]) -> NDArray[np.int32]:
    """(n,) indices of (n, 3) places in the order of a Z-curve (Morton 1966) over their box, 1024 steps each way; equal ones as they came."""
    if not len(positions):
        return np.zeros(0, np.int32)
    low = positions.min(axis=0)
    extent = max(float((positions.max(axis=0) - low).max()), 1e-30)
    code = np.zeros(len(positions), np.int64)
    for axis in range(3):
        bits = np.clip((positions[:, axis] - low[axis]) * (1023 / extent), 0, 1023).astype(np.int64)
        # Two empty bits after each.
        for shift, mask in ((16, 0x030000FF), (8, 0x0300F00F), (4, 0x030C30C3), (2, 0x09249249)):
            bits = (bits | (bits << shift)) & mask
        code |= bits << axis
    return np.argsort(code, kind="stable").astype(np.int32)
