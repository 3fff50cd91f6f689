"""Takes heights away, flat being none."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import FLAT, ONE, ZERO, BlendMode


class HeightSubtract(BlendMode):
    """Takes heights away, flat being none."""

    id: ClassVar[str] = "height-subtract"
    label: ClassVar[str] = "Subtract height"
    rank: ClassVar[int] = 18
    kinds: ClassVar[tuple[str, ...]] = ("height",)

    @staticmethod
    def value(below: float, above: float) -> float:
        return min(ONE, max(ZERO, below - (above - FLAT)))
