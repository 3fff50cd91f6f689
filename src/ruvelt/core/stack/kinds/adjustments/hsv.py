"""Hue, saturation and value."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.colour_stage import TURN, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control, signed
from ruvelt.core.stack.kinds.step import Signed


class HsvAdjust(ColourAdjust):
    """Turns the hue by degrees, scales saturation (−1: none, +1: twice as much), and moves value towards 0 (−1) or 1 (+1)."""

    kind: Literal["hsv"] = "hsv"
    label: ClassVar[str] = "Hue, saturation, value"
    hint: ClassVar[str] = "Shifts hue, scales saturation and value"
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="hue", name="Hue", hint="Shifts all hues", kind="degrees", low=-180, high=180),
        signed("saturation", "Saturation", "Towards grey, or up to twice as strong"),
        signed("value", "Value", "Towards black, or brighter"),
    )
    hue: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 0.0
    saturation: Signed = 0.0
    value: Signed = 0.0

    def stage(self) -> Stage:
        numbers = (self.hue / 360, self.saturation, self.value)
        return Stage(TURN, numbers) if any(numbers) else Stage()
