"""White balance by a colour that should be grey."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.color.adaptation import adaptation_matrix
from ruvelt.core.stack.basics import Colour, Share
from ruvelt.core.stack.colour_stage import LIGHT, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control, share


class WhiteBalanceAdjust(ColourAdjust):
    """Adapts light so that `neutral` becomes grey of its own luminance (linear Bradford; ICC.1:2022 annex E), by `amount`."""

    kind: Literal["white_balance"] = "white_balance"
    label: ClassVar[str] = "White balance"
    hint: ClassVar[str] = "Pick what should be grey; all colours follow"
    rank: ClassVar[int] = 8
    waits: ClassVar[str] = "Pick a colour on the model that should be grey."
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="neutral", name="Neutral", hint="The colour that should be grey", kind="colour"),
        share("amount", "Amount", "How far"),
    )
    neutral: Colour = (0.5, 0.5, 0.5)
    amount: Share = 1.0

    @property
    def waiting(self) -> bool:
        return max(self.neutral) == min(self.neutral)

    def stage(self) -> Stage:
        if self.waiting or self.amount == 0:
            return Stage()
        whole = self.amount * adaptation_matrix(self.neutral) + (1 - self.amount) * np.eye(3)
        return Stage(LIGHT, tuple(float(v) for v in whole.ravel()))
