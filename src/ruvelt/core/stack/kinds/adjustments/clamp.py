"""Values kept within limits."""

from __future__ import annotations

from typing import ClassVar, Literal, Self

import numpy as np
from pydantic import model_validator

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control, value_range
from ruvelt.core.stack.kinds.step import F64


class ClampAdjust(PointAdjust):
    """What is below `low` becomes it, and what is above `high`."""

    kind: Literal["clamp"] = "clamp"
    label: ClassVar[str] = "Clamp"
    hint: ClassVar[str] = "Keeps values within limits"
    rank: ClassVar[int] = 14
    controls: ClassVar[tuple[Control, ...]] = (value_range("The least and the most there will be"),)
    low: Share = 0.0
    high: Share = 1.0

    @model_validator(mode="after")
    def _upright(self) -> Self:
        if self.low > self.high:
            raise ValueError("the least value lies above the most; exchange them")
        return self

    def suits(self, channel: Channel) -> bool:
        return channel.kind != "height"

    def shaped(self, x: F64) -> F64:
        return np.asarray(np.clip(x, self.low, self.high))
