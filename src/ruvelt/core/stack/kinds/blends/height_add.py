"""Adds heights, flat being none."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import FLAT, ONE, ZERO, BlendMode


class HeightAdd(BlendMode):
    """Adds heights, flat being none."""

    id: ClassVar[str] = "height-add"
    label: ClassVar[str] = "Add height"
    rank: ClassVar[int] = 17
    kinds: ClassVar[tuple[str, ...]] = ("height",)

    @staticmethod
    def value(below: float, above: float) -> float:
        return min(ONE, max(ZERO, below + (above - FLAT)))
