"""How far the high mesh lies above or below the model."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured, signed


class Height(BakedMap):
    """How far the high mesh lies above or below the model."""

    id: ClassVar[str] = "height"
    label: ClassVar[str] = "Height"
    hint: ClassVar[str] = "How far the high mesh lies above or below the model."
    rank: ClassVar[int] = 6
    start: ClassVar[tuple[float, ...]] = (0.5,)
    settings: ClassVar[tuple[str, ...]] = ("front", "back")

    def values(self, m: Measured) -> F32:
        reach = max(m.settings.front, m.settings.back) * m.source.low.diagonal
        return signed(m.surface.height[:, None] / np.float32(reach))
