"""Few even values instead of many."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control, count, share
from ruvelt.core.stack.kinds.step import F64
from ruvelt.core.stack.shaping import steps


class PosteriseAdjust(PointAdjust):
    """`count` even values of each component, on encoded values; `softness`: the share of the way to the next over which an edge goes."""

    kind: Literal["posterise"] = "posterise"
    label: ClassVar[str] = "Posterise"
    hint: ClassVar[str] = "Few even values instead of many"
    rank: ClassVar[int] = 15
    controls: ClassVar[tuple[Control, ...]] = (
        count("count", "Values", "How many are left of each component", 2, 32),
        share("softness", "Softness", "How softly one goes into the next"),
    )
    count: Annotated[int, Field(ge=2, le=32)] = 5
    softness: Share = 0.0

    def shaped(self, x: F64) -> F64:
        return steps(x, self.count, self.softness)
