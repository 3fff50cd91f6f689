"""A curve from old values to new ones."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal, Self

from pydantic import Field, model_validator

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control
from ruvelt.core.stack.kinds.step import F64
from ruvelt.core.stack.shaping import curve


class CurveAdjust(PointAdjust):
    """A smooth curve through points, left to right, that never overshoots them; component by component, on encoded values."""

    kind: Literal["curve"] = "curve"
    label: ClassVar[str] = "Curve"
    hint: ClassVar[str] = "A curve from old values to new ones"
    rank: ClassVar[int] = 4
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="points", name="Curve", hint="Drag points; press to add one, twice to take it away", kind="curve"),
    )
    points: Annotated[tuple[tuple[Share, Share], ...], Field(min_length=2, max_length=16)] = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))

    @model_validator(mode="after")
    def _rising(self) -> Self:
        if any(b[0] - a[0] < 1e-4 for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("the curve's points must go from left to right")
        return self

    def shaped(self, x: F64) -> F64:
        return curve(x, self.points)
