"""Edges are bright, recesses dark: where paint wears and dust stays."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured, signed


class Curvature(BakedMap):
    """Edges are bright, recesses dark: where paint wears and dust stays."""

    id: ClassVar[str] = "curvature"
    label: ClassVar[str] = "Curvature"
    hint: ClassVar[str] = "Edges are bright, recesses dark: where paint wears and dust stays."
    rank: ClassVar[int] = 2
    start: ClassVar[tuple[float, ...]] = (0.5,)
    settings: ClassVar[tuple[str, ...]] = ("curvature_radius",)

    def values(self, m: Measured) -> F32:
        assert m.curvature is not None
        return signed(m.curvature[:, None] * np.float32(m.settings.curvature_radius * m.source.low.diagonal))
