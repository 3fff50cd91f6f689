"""Vector algebra over few rows, where NumPy's general functions spend more on their arguments than on the numbers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Rows = NDArray[np.float64]


def cross(a: Rows, b: Rows) -> Rows:
    """(n, 3) cross products of (n, 3) rows."""
    out = np.empty((len(a), 3))
    for k, (i, j) in enumerate(((1, 2), (2, 0), (0, 1))):
        out[:, k] = a[:, i] * b[:, j] - a[:, j] * b[:, i]
    return out


def dot(a: Rows, b: Rows) -> Rows:
    """(n,) dot products of (n, 3) rows."""
    result: Rows = a[:, 0] * b[:, 0] + a[:, 1] * b[:, 1] + a[:, 2] * b[:, 2]
    return result


def length(a: Rows) -> Rows:
    """(n, 1) lengths of (n, 3) rows."""
    result: Rows = np.sqrt(dot(a, a))[:, None]
    return result
