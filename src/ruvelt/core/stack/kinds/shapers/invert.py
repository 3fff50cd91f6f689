"""Turns a mask round."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.stack.kinds.controls import Group
from ruvelt.core.stack.kinds.step import F64, PointShaper


class InvertShaper(PointShaper):
    """Inverts everything below it."""

    kind: Literal["invert"] = "invert"
    label: ClassVar[str] = "Invert"
    hint: ClassVar[str] = "Inverts everything below it"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 2

    def shaped(self, x: F64) -> F64:
        return 1 - x
