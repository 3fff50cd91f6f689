"""The lower of the two."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class HeightMin(BlendMode):
    """The lower of the two."""

    id: ClassVar[str] = "min"
    label: ClassVar[str] = "Min"
    rank: ClassVar[int] = 20
    kinds: ClassVar[tuple[str, ...]] = ("height",)

    @staticmethod
    def value(below: float, above: float) -> float:
        return min(below, above)
