"""Lightens by the product of what is missing."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Screen(BlendMode):
    """Lightens by the product of what is missing."""

    id: ClassVar[str] = "screen"
    label: ClassVar[str] = "Screen"
    rank: ClassVar[int] = 2
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")
    code: ClassVar[int] = 2

    @staticmethod
    def value(below: float, above: float) -> float:
        return below + above - below * above
