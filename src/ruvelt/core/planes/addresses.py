"""Addresses of arrays, for kernels that reach many of them: the one place that takes them."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Any

from numpy.typing import NDArray


def address_of(array: NDArray[Any] | None) -> int:
    """Where an array's values begin; 0 for none. The caller keeps the array while the address is in use."""
    return 0 if array is None else int(array.ctypes.data)


class Addresses:
    """Addresses by what an array stands for: asking NumPy for one costs as much as a small kernel.

    Each array is held with its address, so that none outlives it.
    """

    def __init__(self) -> None:
        self._held: dict[Hashable, tuple[NDArray[Any], int]] = {}

    def of(self, key: Hashable, array: NDArray[Any]) -> int:
        held = self._held.get(key)
        if held is None or held[0] is not array:
            held = self._held[key] = (array, address_of(array))
        return held[1]
