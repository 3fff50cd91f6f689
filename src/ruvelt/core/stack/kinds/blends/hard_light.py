"""Multiplies or screens, as what is laid is dark or light."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import HALF, ONE, TWO, BlendMode


class HardLight(BlendMode):
    """Multiplies or screens, as what is laid is dark or light."""

    id: ClassVar[str] = "hard-light"
    label: ClassVar[str] = "Hard light"
    rank: ClassVar[int] = 5
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        return TWO * below * above if above <= HALF else ONE - TWO * (ONE - below) * (ONE - above)
