"""What one batch of a stroke changed."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples.blocks import Runs, runs_of


@dataclass(frozen=True, eq=False)
class Touched:
    """The blocks of each chunk, (256,) uint8, and the same as runs of samples."""

    blocks: dict[int, NDArray[np.uint8]]
    runs: dict[int, Runs]

    @classmethod
    def of(cls, dirty: NDArray[np.uint8], is_sheet: bool) -> Touched:
        """From (chunks, 256) marks."""
        blocks = {int(c): dirty[c] for c in np.flatnonzero(dirty.any(axis=1))}
        return cls(blocks, {c: runs_of(marks, is_sheet) for c, marks in blocks.items()})
