"""The sum."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import ONE, BlendMode


class Add(BlendMode):
    """The sum."""

    id: ClassVar[str] = "add"
    label: ClassVar[str] = "Add"
    rank: ClassVar[int] = 10
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return min(ONE, below + above)
