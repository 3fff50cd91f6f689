"""How far the two differ."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Difference(BlendMode):
    """How far the two differ."""

    id: ClassVar[str] = "difference"
    label: ClassVar[str] = "Difference"
    rank: ClassVar[int] = 12
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return abs(below - above)
