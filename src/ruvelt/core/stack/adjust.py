"""What adjustment layers do to what lies beneath them."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ruvelt.core.stack.basics import Frozen, Length
from ruvelt.core.stack.fields import Levels

Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class LevelsAdjust(Levels):
    """Levels, component by component, on encoded values."""

    kind: Literal["levels"] = "levels"


class HsvAdjust(Frozen):
    """Turns the hue by degrees, scales saturation (−1: none, +1: twice as much), and moves value towards 0 (−1) or 1 (+1)."""

    kind: Literal["hsv"] = "hsv"
    hue: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 0.0
    saturation: Signed = 0.0
    value: Signed = 0.0


class BlurAdjust(Frozen):
    """Blurs along the surface, across seams; `radius` is the standard deviation, a share of the diagonal."""

    kind: Literal["blur"] = "blur"
    radius: Annotated[Length, Field(le=0.1)] = 0.005


Adjustment = Annotated[LevelsAdjust | HsvAdjust | BlurAdjust, Field(discriminator="kind")]
