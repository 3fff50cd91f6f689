"""Relief of the high mesh, for the final normal map."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake._bake_kernels import into_tangent_frame
from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured


class Normal(BakedMap):
    """Relief of the high mesh, for the final normal map."""

    id: ClassVar[str] = "normal"
    label: ClassVar[str] = "Normal (tangent)"
    hint: ClassVar[str] = "Relief of the high mesh, for the final normal map."
    rank: ClassVar[int] = 0
    components: ClassVar[int] = 3
    start: ClassVar[tuple[float, ...]] = (0.5, 0.5, 1.0)
    settings: ClassVar[tuple[str, ...]] = ("front", "back", "cage", "cage_blend", "bitangents")
    direction: ClassVar[bool] = True
    needs_tangent: ClassVar[bool] = True

    def values(self, m: Measured) -> F32:
        """The measured normal in the tangent frame of the low mesh, so that decoding gives it back."""
        assert m.points.tangent is not None
        assert m.points.frame is not None
        out = np.empty((len(m.points.local), 3), np.float32)
        into_tangent_frame(m.surface.normal, m.points.normal, m.points.tangent, m.points.frame, m.settings.bitangents == "vertex", out)
        return out
