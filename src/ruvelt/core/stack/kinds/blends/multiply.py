"""Darkens by the product."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Multiply(BlendMode):
    """Darkens by the product."""

    id: ClassVar[str] = "multiply"
    label: ClassVar[str] = "Multiply"
    rank: ClassVar[int] = 1
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")
    code: ClassVar[int] = 1

    @staticmethod
    def value(below: float, above: float) -> float:
        return below * above
