"""Steeper or flatter."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.kinds.controls import Control, Group, share, signed
from ruvelt.core.stack.kinds.step import F64, PointShaper, Signed
from ruvelt.core.stack.shaping import contrast_gain


class ContrastShaper(PointShaper):
    """Steeper or flatter about the balance."""

    kind: Literal["contrast"] = "contrast"
    label: ClassVar[str] = "Contrast"
    hint: ClassVar[str] = "Steeper or flatter"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 5
    controls: ClassVar[tuple[Control, ...]] = (
        signed("contrast", "Contrast", "Steeper above 0, flatter below"),
        share("balance", "Balance", "The value that becomes middle grey"),
    )
    contrast: Signed = 0.4
    balance: Share = 0.5

    def shaped(self, x: F64) -> F64:
        return np.clip((x - self.balance) * contrast_gain(self.contrast) + 0.5, 0, 1)
