"""The direction a place looks, in the model's own axes."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured, signed


class ObjectNormal(BakedMap):
    """The direction a place looks, in the model's own axes."""

    id: ClassVar[str] = "object_normal"
    label: ClassVar[str] = "Normal (object)"
    hint: ClassVar[str] = "The direction a place looks, in the model's own axes."
    rank: ClassVar[int] = 8
    components: ClassVar[int] = 3
    start: ClassVar[tuple[float, ...]] = (0.5, 0.5, 0.5)
    direction: ClassVar[bool] = True

    def values(self, m: Measured) -> F32:
        return signed(m.surface.normal)
