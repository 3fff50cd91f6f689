"""Where a place lies in the model's box: red, green and blue for X, Y and Z."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured


class Position(BakedMap):
    """Where a place lies in the model's box: red, green and blue for X, Y and Z."""

    id: ClassVar[str] = "position"
    label: ClassVar[str] = "Position"
    hint: ClassVar[str] = "Where a place lies in the model's box: red, green and blue for X, Y and Z."
    rank: ClassVar[int] = 4
    components: ClassVar[int] = 3
    start: ClassVar[tuple[float, ...]] = (0.5, 0.5, 0.5)

    def values(self, m: Measured) -> F32:
        low, high = m.source.low.bounds
        # Along an axis on which the model has no extent a place lies in the middle.
        flat = high - low <= np.float32(1e-6 * m.source.low.diagonal)
        share = (m.surface.position - low) / np.where(flat, np.float32(1), high - low)
        return np.asarray(np.where(flat, np.float32(0.5), share), np.float32)
