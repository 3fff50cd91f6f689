"""Colours to grey, by weights."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.colour_stage import LIGHT, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control

Weight = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]


class GreyAdjust(ColourAdjust):
    """Grey as light as the weighted sum of red, green and blue light (linear), the weights brought to a sum of one where they have any.

    The first ones are luminance's (Rec. 709).
    """

    kind: Literal["grey"] = "grey"
    label: ClassVar[str] = "To grey"
    hint: ClassVar[str] = "Grey by weights of red, green and blue light"
    rank: ClassVar[int] = 9
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="weights", name="Weights", hint="How much each counts; together they count as one", kind="rgb", low=-1, high=1),
    )
    weights: tuple[Weight, Weight, Weight] = (0.2126, 0.7152, 0.0722)

    def stage(self) -> Stage:
        total = sum(self.weights)
        row = tuple(w / total if abs(total) > 1e-3 else w for w in self.weights)
        return Stage(LIGHT, row * 3)
