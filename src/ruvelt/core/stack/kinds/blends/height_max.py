"""The higher of the two."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class HeightMax(BlendMode):
    """The higher of the two."""

    id: ClassVar[str] = "max"
    label: ClassVar[str] = "Max"
    rank: ClassVar[int] = 19
    kinds: ClassVar[tuple[str, ...]] = ("height",)

    @staticmethod
    def value(below: float, above: float) -> float:
        return max(below, above)
