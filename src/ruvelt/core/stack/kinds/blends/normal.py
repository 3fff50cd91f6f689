"""Covers what lies below."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Normal(BlendMode):
    """Covers what lies below."""

    id: ClassVar[str] = "normal"
    label: ClassVar[str] = "Normal"
    rank: ClassVar[int] = 0
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data", "height")
    code: ClassVar[int] = 0

    @staticmethod
    def value(below: float, above: float) -> float:
        return above
