"""Colour balance in shadows, mid-tones and highlights."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control
from ruvelt.core.stack.kinds.step import F64, Signed

Three = tuple[Signed, Signed, Signed]
#: Shadows and highlights at their ends move by this; mid-tones by a power of 2 to the end.
MOST = 0.5


class BalanceAdjust(PointAdjust):
    """Lift, gamma and gain of each component: clip((1 + ½ highlights) · (x + ½ shadows · (1 − x)))^(2^−mid), on encoded values."""

    kind: Literal["balance"] = "balance"
    label: ClassVar[str] = "Colour balance"
    hint: ClassVar[str] = "Red, green and blue in shadows, mid-tones and highlights"
    rank: ClassVar[int] = 7
    counts: ClassVar[bool] = True
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="shadows", name="Shadows", hint="Moves dark tones, and white not at all", kind="rgb", low=-1, high=1),
        Control(id="mid", name="Mid-tones", hint="Moves the middle; black and white stay", kind="rgb", low=-1, high=1),
        Control(id="highlights", name="Highlights", hint="Moves bright tones, and black not at all", kind="rgb", low=-1, high=1),
    )
    shadows: Three = (0.0, 0.0, 0.0)
    mid: Three = (0.0, 0.0, 0.0)
    highlights: Three = (0.0, 0.0, 0.0)

    def suits(self, channel: Channel) -> bool:
        return channel.components == 3

    def shaped(self, x: F64) -> F64:
        return x

    def component(self, x: F64, k: int) -> F64:
        lifted = x + MOST * self.shadows[k] * (1 - x)
        return np.asarray(np.clip((1 + MOST * self.highlights[k]) * lifted, 0, 1) ** (2.0 ** -self.mid[k]))
