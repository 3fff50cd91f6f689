"""Levels of a mask."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.stack.fields import Levels
from ruvelt.core.stack.kinds.controls import LEVELS, Control, Group
from ruvelt.core.stack.kinds.step import F64, PointShaper
from ruvelt.core.stack.shaping import levels


class LevelsShaper(PointShaper, Levels):
    """Stretches in_low … in_high to out_low … out_high, mid-tones by gamma."""

    kind: Literal["levels"] = "levels"
    label: ClassVar[str] = "Levels"
    hint: ClassVar[str] = "Black, white and mid-tones"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 0
    controls: ClassVar[tuple[Control, ...]] = LEVELS

    def shaped(self, x: F64) -> F64:
        return levels(x, self)
