"""A curve from old values to new ones."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.stack.fields import CurvePoints
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import CURVE, Control
from ruvelt.core.stack.kinds.step import F64
from ruvelt.core.stack.shaping import curve


class CurveAdjust(PointAdjust, CurvePoints):
    """A smooth curve through points, left to right, that never overshoots them; component by component, on encoded values."""

    kind: Literal["curve"] = "curve"
    label: ClassVar[str] = "Curve"
    hint: ClassVar[str] = "A curve from old values to new ones"
    rank: ClassVar[int] = 4
    counts: ClassVar[bool] = True
    controls: ClassVar[tuple[Control, ...]] = CURVE

    def shaped(self, x: F64) -> F64:
        return curve(x, self.points)
