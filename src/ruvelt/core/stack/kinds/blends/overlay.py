"""Multiplies what is dark below and screens what is light."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import HALF, ONE, TWO, BlendMode


class Overlay(BlendMode):
    """Multiplies what is dark below and screens what is light."""

    id: ClassVar[str] = "overlay"
    label: ClassVar[str] = "Overlay"
    rank: ClassVar[int] = 3
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return TWO * below * above if below <= HALF else ONE - TWO * (ONE - below) * (ONE - above)
