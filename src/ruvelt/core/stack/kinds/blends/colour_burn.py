"""Darkens what lies below to show what is laid."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import ONE, ZERO, BlendMode


class ColourBurn(BlendMode):
    """Darkens what lies below to show what is laid."""

    id: ClassVar[str] = "color-burn"
    label: ClassVar[str] = "Colour burn"
    rank: ClassVar[int] = 9
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        if below >= ONE:
            return ONE
        return ZERO if above <= ZERO else ONE - min(ONE, (ONE - below) / above)
