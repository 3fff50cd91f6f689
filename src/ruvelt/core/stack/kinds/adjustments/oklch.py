"""Lightness, chroma and hue that look even."""

from __future__ import annotations

from math import cos, pi, sin
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.colour_stage import LAB, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control, signed
from ruvelt.core.stack.kinds.step import Signed


class OklchAdjust(ColourAdjust):
    """OKLCH (B. Ottosson, 2020): hue by degrees, chroma 1 + chroma times as strong, lightness added. A turned hue is as light as before; what
    sRGB does not hold loses chroma, not hue."""

    kind: Literal["oklch"] = "oklch"
    label: ClassVar[str] = "Lightness, chroma, hue"
    hint: ClassVar[str] = "Turns hues and changes chroma at the same lightness (OKLCH)"
    rank: ClassVar[int] = 2
    controls: ClassVar[tuple[Control, ...]] = (
        signed("lightness", "Lightness", "Added to how light it looks"),
        signed("chroma", "Chroma", "Towards grey, or up to twice as strong"),
        Control(id="hue", name="Hue", hint="Shifts all hues; they stay as light as they are", kind="degrees", low=-180, high=180),
    )
    lightness: Signed = 0.0
    chroma: Signed = 0.0
    hue: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 0.0

    def stage(self) -> Stage:
        if not (self.lightness or self.chroma or self.hue):
            return Stage()
        c, s = (1 + self.chroma) * cos(self.hue * pi / 180), (1 + self.chroma) * sin(self.hue * pi / 180)
        return Stage(LAB, (self.lightness, 1, 0, c, -s, 0, s, c))
