"""Brightens what lies below to show what is laid."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import ONE, ZERO, BlendMode


class ColourDodge(BlendMode):
    """Brightens what lies below to show what is laid."""

    id: ClassVar[str] = "color-dodge"
    label: ClassVar[str] = "Colour dodge"
    rank: ClassVar[int] = 8
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        if below <= ZERO:
            return ZERO
        return ONE if above >= ONE else min(ONE, below / (ONE - above))
