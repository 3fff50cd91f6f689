"""A few even steps."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.kinds.controls import Control, Group, count, share
from ruvelt.core.stack.kinds.step import F64, PointShaper
from ruvelt.core.stack.shaping import steps


class StepsShaper(PointShaper):
    """So many even steps; softness rounds their edges."""

    kind: Literal["steps"] = "steps"
    label: ClassVar[str] = "Steps"
    hint: ClassVar[str] = "A few even steps"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 4
    controls: ClassVar[tuple[Control, ...]] = (count("count", "Steps", "How many", 2, 24), share("softness", "Softness", "Rounds their edges"))
    count: Annotated[int, Field(ge=2, le=64)] = 4
    softness: Share = 0.0

    def shaped(self, x: F64) -> F64:
        return steps(x, self.count, self.softness)
