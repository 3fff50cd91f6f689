"""Intensity, contrast and gamma, for all and for each of red, green and blue."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control
from ruvelt.core.stack.kinds.step import F64

Factor = Annotated[float, Field(ge=0, le=4, allow_inf_nan=False)]
Gamma = Annotated[float, Field(ge=0.1, le=10, allow_inf_nan=False)]
_ONES = (1.0, 1.0, 1.0, 1.0)


class GainsAdjust(PointAdjust):
    """clip(½ + contrast · (intensity · x − ½))^(1 / gamma), on encoded values. Of four numbers the first is for all, the others multiply it for
    red, green and blue; a channel of one value goes by the first."""

    kind: Literal["gains"] = "gains"
    label: ClassVar[str] = "Intensity, contrast, gamma"
    hint: ClassVar[str] = "For all, and for each of red, green and blue"
    rank: ClassVar[int] = 5
    counts: ClassVar[bool] = True
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="intensity", name="Intensity", hint="Times every value", kind="each", low=0, high=2),
        Control(id="contrast", name="Contrast", hint="Steeper or flatter about the middle", kind="each", low=0, high=2),
        Control(id="gamma", name="Gamma", hint="Above 1 brightens the middle, below 1 darkens it", kind="each", low=0.2, high=4, log=True),
    )
    intensity: tuple[Factor, Factor, Factor, Factor] = _ONES
    contrast: tuple[Factor, Factor, Factor, Factor] = _ONES
    gamma: tuple[Gamma, Gamma, Gamma, Gamma] = _ONES

    def suits(self, channel: Channel) -> bool:
        return channel.kind != "height"

    def _by(self, x: F64, intensity: float, contrast: float, gamma: float) -> F64:
        return np.asarray(np.clip(0.5 + contrast * (intensity * x - 0.5), 0, 1) ** (1 / gamma))

    def shaped(self, x: F64) -> F64:
        return self._by(x, self.intensity[0], self.contrast[0], self.gamma[0])

    def component(self, x: F64, k: int) -> F64:
        return self._by(x, *(numbers[0] * numbers[k + 1] for numbers in (self.intensity, self.contrast, self.gamma)))
