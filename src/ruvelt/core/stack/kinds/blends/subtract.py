"""What lies below less what is laid."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import ZERO, BlendMode


class Subtract(BlendMode):
    """What lies below less what is laid."""

    id: ClassVar[str] = "subtract"
    label: ClassVar[str] = "Subtract"
    rank: ClassVar[int] = 11
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return max(ZERO, below - above)
