"""How much of the sky a place sees: dirt gathers where it is dark."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.bake.grain import Answers
from ruvelt.core.bake.mesh_map import F32, BakedMap


class Occlusion(BakedMap):
    """How much of the sky a place sees: dirt gathers where it is dark."""

    id: ClassVar[str] = "occlusion"
    label: ClassVar[str] = "Occlusion"
    hint: ClassVar[str] = "How much of the sky a place sees: dirt gathers where it is dark."
    rank: ClassVar[int] = 1
    start: ClassVar[tuple[float, ...]] = (1.0,)
    rays: ClassVar[str] = "sky"
    settings: ClassVar[tuple[str, ...]] = ("rays", "grain", "shading", "occlusion_reach")

    def of_rays(self, answers: Answers) -> F32:
        assert answers.open_share is not None
        return answers.open_share[:, None]
