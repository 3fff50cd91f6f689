"""How far a place looks in one direction: snow, salt, dust from above."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured, signed


class Facing(BakedMap):
    """How far a place looks in one direction: snow, salt, dust from above."""

    id: ClassVar[str] = "facing"
    label: ClassVar[str] = "Facing"
    hint: ClassVar[str] = "How far a place looks in one direction: snow, salt, dust from above."
    rank: ClassVar[int] = 5
    start: ClassVar[tuple[float, ...]] = (0.5,)
    settings: ClassVar[tuple[str, ...]] = ("facing",)

    def values(self, m: Measured) -> F32:
        direction = np.asarray(m.settings.facing, np.float64)
        return signed((m.surface.normal @ (direction / np.linalg.norm(direction)).astype(np.float32))[:, None])
