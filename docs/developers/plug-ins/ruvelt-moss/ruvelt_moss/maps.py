"""A mesh map."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured


class Steepness(BakedMap):
    """How steep a place is: 0 lies flat, looking up or down, 1 stands upright."""

    id: ClassVar[str] = "steepness"
    label: ClassVar[str] = "Steepness"
    hint: ClassVar[str] = "How steep a place is: moss grows where it is dark."

    def values(self, m: Measured) -> F32:
        return np.asarray(np.sqrt(np.clip(1 - m.surface.normal[:, 1:2] ** 2, 0, 1)), np.float32)
