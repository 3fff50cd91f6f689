"""Everything towards one hue."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.color.oklab import oklab
from ruvelt.core.stack.basics import Colour, Share
from ruvelt.core.stack.colour_stage import LAB, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control, share


class TintAdjust(ColourAdjust):
    """Hue and chroma go towards those of `colour` by `amount`, lightness stays (OKLab); what sRGB does not hold loses chroma."""

    kind: Literal["tint"] = "tint"
    label: ClassVar[str] = "Tint"
    hint: ClassVar[str] = "Hue and chroma of one colour, as light as it was"
    rank: ClassVar[int] = 6
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="colour", name="Colour", hint="The colour that everything is tinted with", kind="colour"),
        share("amount", "Amount", "How far"),
    )
    colour: Colour = (0.9, 0.72, 0.5)
    amount: Share = 0.5

    def stage(self) -> Stage:
        if self.amount == 0:
            return Stage()
        _, a, b = (float(v) for v in oklab(np.array(self.colour)))
        keep = 1 - self.amount
        return Stage(LAB, (0, 1, a * self.amount, keep, 0, b * self.amount, 0, keep))
