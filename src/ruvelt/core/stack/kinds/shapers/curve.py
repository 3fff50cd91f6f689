"""A curve from old values to new ones."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.stack.fields import CurvePoints
from ruvelt.core.stack.kinds.controls import CURVE, Control, Group
from ruvelt.core.stack.kinds.step import F64, PointShaper
from ruvelt.core.stack.shaping import curve


class CurveShaper(PointShaper, CurvePoints):
    """A smooth curve through points, left to right, that never overshoots them."""

    kind: Literal["curve"] = "curve"
    label: ClassVar[str] = "Curve"
    hint: ClassVar[str] = "A curve from old values to new ones"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = CURVE

    def shaped(self, x: F64) -> F64:
        return curve(x, self.points)
