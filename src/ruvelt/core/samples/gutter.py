"""Texels around islands that repeat an island texel."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.lazy import lazy
from ruvelt.core.samples.address import chunk_of


@dataclass(frozen=True, eq=False)
class Gutter:
    """Texels that repeat an island texel. `dst`, `src`: (n,) int32 slots, sorted by source chunk."""

    dst: NDArray[np.int32]
    src: NDArray[np.int32]
    start: NDArray[np.int64]  # (chunks + 1,) into both, by source chunk

    @lazy
    def sources_of(self) -> dict[int, tuple[int, ...]]:
        """For each chunk the other chunks its gutter texels repeat."""
        to, of = chunk_of(self.dst), chunk_of(self.src)
        apart = to != of
        found: dict[int, list[int]] = {}
        for pair in np.unique((to[apart].astype(np.int64) << 32) | of[apart]):
            found.setdefault(int(pair >> 32), []).append(int(pair & 0xFFFFFFFF))
        return {d: tuple(s) for d, s in found.items()}

    @lazy
    def targets_of(self) -> dict[int, tuple[int, ...]]:
        """For each chunk the other chunks whose gutter repeats it."""
        found: dict[int, list[int]] = {}
        for d, sources in self.sources_of.items():
            for s in sources:
                found.setdefault(s, []).append(d)
        return {s: tuple(d) for s, d in found.items()}


def no_gutter(chunks: int) -> Gutter:
    """Of samples that have none, as vertices."""
    none = np.zeros(0, np.int32)
    return Gutter(none, none, np.zeros(chunks + 1, np.int64))
