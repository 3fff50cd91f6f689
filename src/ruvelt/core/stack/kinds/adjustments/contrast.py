"""Brightness, and contrast about a pivot."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control, share, signed
from ruvelt.core.stack.kinds.step import F64, Signed
from ruvelt.core.stack.shaping import contrast_gain


class ContrastAdjust(PointAdjust):
    """pivot + tan((contrast + 1) π / 4) · (x − pivot) + brightness, on encoded values; what is at the pivot stays there."""

    kind: Literal["contrast"] = "contrast"
    label: ClassVar[str] = "Brightness and contrast"
    hint: ClassVar[str] = "Brighter or darker, and steeper or flatter about a value that stays"
    rank: ClassVar[int] = 3
    counts: ClassVar[bool] = True
    controls: ClassVar[tuple[Control, ...]] = (
        signed("brightness", "Brightness", "Added to every value"),
        signed("contrast", "Contrast", "Towards the pivot, or away from it"),
        share("pivot", "Pivot", "The value that contrast leaves alone"),
    )
    brightness: Signed = 0.0
    contrast: Signed = 0.0
    pivot: Share = 0.5

    def shaped(self, x: F64) -> F64:
        gain = 1.0 if self.contrast == 0 else contrast_gain(self.contrast)
        return np.asarray(np.clip(self.pivot + gain * (x - self.pivot) + self.brightness, 0, 1))
