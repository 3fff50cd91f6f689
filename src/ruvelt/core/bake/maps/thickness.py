"""How thick the body is under a place: light comes through where it is dark."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.bake.grain import Answers
from ruvelt.core.bake.mesh_map import F32, BakedMap


class Thickness(BakedMap):
    """How thick the body is under a place: light comes through where it is dark."""

    id: ClassVar[str] = "thickness"
    label: ClassVar[str] = "Thickness"
    hint: ClassVar[str] = "How thick the body is under a place: light comes through where it is dark."
    rank: ClassVar[int] = 3
    start: ClassVar[tuple[float, ...]] = (1.0,)
    rays: ClassVar[str] = "inside"
    settings: ClassVar[tuple[str, ...]] = ("rays", "grain", "shading", "thickness_reach")

    def of_rays(self, answers: Answers) -> F32:
        assert answers.thickness is not None
        return answers.thickness[:, None]
