"""The lighter of the two."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Lighten(BlendMode):
    """The lighter of the two."""

    id: ClassVar[str] = "lighten"
    label: ClassVar[str] = "Lighten"
    rank: ClassVar[int] = 7
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return max(below, above)
