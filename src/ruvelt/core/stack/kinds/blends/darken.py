"""The darker of the two."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Darken(BlendMode):
    """The darker of the two."""

    id: ClassVar[str] = "darken"
    label: ClassVar[str] = "Darken"
    rank: ClassVar[int] = 6
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return min(below, above)
