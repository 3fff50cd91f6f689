"""Levels of a channel."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.stack.fields import Levels
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import LEVELS, Control
from ruvelt.core.stack.kinds.step import F64
from ruvelt.core.stack.shaping import levels


class LevelsAdjust(PointAdjust, Levels):
    """Levels, component by component, on encoded values."""

    kind: Literal["levels"] = "levels"
    label: ClassVar[str] = "Levels"
    hint: ClassVar[str] = "Black, white and mid-tones of what lies beneath"
    rank: ClassVar[int] = 0
    counts: ClassVar[bool] = True
    controls: ClassVar[tuple[Control, ...]] = LEVELS

    def shaped(self, x: F64) -> F64:
        return levels(x, self)
