"""Equal rows of arrays, numbered."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh._row_kernels import number_rows


def equal_rows(rows: NDArray[Any]) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Number equal rows, to the bit, in the order in which they first appear.

    rows : (n, k) of 4- or 8-byte values. Returns (n,) int32 the number of each row, and (m,) int32 the first row of each number.
    Zero and minus zero differ; add 0.0 first where they should not.
    """
    count = len(rows)
    if not count:
        return np.zeros(0, np.int32), np.zeros(0, np.int32)
    words = np.ascontiguousarray(rows).view(np.uint32).reshape(count, -1)
    table = np.full(1 << int(2 * count - 1).bit_length(), -1, np.int32)
    number, first = np.empty(count, np.int32), np.empty(count, np.int32)
    found = int(number_rows(words, table, number, first))
    return number, first[:found].copy()
