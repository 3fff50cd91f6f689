"""The mean open direction, for light from all sides."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.bake.grain import Answers
from ruvelt.core.bake.mesh_map import F32, BakedMap, signed


class BentNormal(BakedMap):
    """The mean open direction, for light from all sides."""

    id: ClassVar[str] = "bent_normal"
    label: ClassVar[str] = "Bent normal"
    hint: ClassVar[str] = "The mean open direction, for light from all sides."
    rank: ClassVar[int] = 9
    components: ClassVar[int] = 3
    start: ClassVar[tuple[float, ...]] = (0.5, 0.5, 0.5)
    rays: ClassVar[str] = "sky"
    settings: ClassVar[tuple[str, ...]] = ("rays", "grain", "shading", "occlusion_reach")
    direction: ClassVar[bool] = True

    def of_rays(self, answers: Answers) -> F32:
        assert answers.bent is not None
        return signed(answers.bent)
