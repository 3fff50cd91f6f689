"""Colours of a picture, or of another layer."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.basics import Frozen, Share
from ruvelt.core.stack.colour_stage import LAB, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control, share

Value = Annotated[float, Field(ge=-2, le=2, allow_inf_nan=False)]
Spread = Annotated[float, Field(ge=0, le=2, allow_inf_nan=False)]
#: A spread below this counts as this: what has one colour has no contrast to scale.
LEAST = 0.005
#: More contrast than this would only show noise.
MOST_GAIN = 4.0


class ColourFigures(Frozen):
    """Mean and standard deviation of lightness and the two axes of OKLab."""

    mean: tuple[Value, Value, Value]
    spread: tuple[Spread, Spread, Spread]


class MatchAdjust(ColourAdjust):
    """Mean and spread of colours become those of others (E. Reinhard et al., "Color transfer between images", 2001), in OKLab, by `amount`.

    Both were measured when they were chosen and stay as they were, so that paint laid later does not move what is there.
    """

    kind: Literal["match"] = "match"
    label: ClassVar[str] = "Match colours"
    hint: ClassVar[str] = "Takes on the colours of a picture or of another layer"
    rank: ClassVar[int] = 11
    waits: ClassVar[str] = "Choose a picture or a layer to match."
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="goal", name="Like", hint="The picture or layer whose colours are taken on", kind="measured"),
        share("amount", "Amount", "How far"),
    )
    source: ColourFigures | None = None
    goal: ColourFigures | None = None
    #: What was measured, for people.
    goal_name: Annotated[str, Field(max_length=80)] = ""
    amount: Share = 1.0

    @property
    def waiting(self) -> bool:
        return self.source is None or self.goal is None

    def stage(self) -> Stage:
        if self.source is None or self.goal is None or self.amount == 0:
            return Stage()
        lines = []
        for k in range(3):
            gain = min(max(self.goal.spread[k], LEAST) / max(self.source.spread[k], LEAST), MOST_GAIN)
            offset = self.goal.mean[k] - gain * self.source.mean[k]
            lines.append((self.amount * offset, self.amount * gain + 1 - self.amount))
        (l0, l1), (a0, a1), (b0, b1) = lines
        return Stage(LAB, (l0, l1, a0, a1, 0, b0, 0, b1))
