"""Addresses of arrays that kernels are handed batch after batch: asking NumPy for one costs as much as a small kernel."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Any

from numpy.typing import NDArray


class Addresses:
    """Addresses by what an array stands for. Each array is held with its address, so that none outlives it."""

    def __init__(self) -> None:
        self._held: dict[Hashable, tuple[NDArray[Any], int]] = {}

    def of(self, key: Hashable, array: NDArray[Any]) -> int:
        held = self._held.get(key)
        if held is None or held[0] is not array:
            held = self._held[key] = (array, array.ctypes.data)
        return held[1]
