"""Lightens or darkens softly, as a diffuse light does."""

# mypy: disable-error-code="no-any-return"
from typing import ClassVar

import numpy as np

from ruvelt.core.stack.kinds.blend_mode import HALF, ONE, TWO, BlendMode, constant

QUARTER, FOUR, TWELVE, SIXTEEN = constant(0.25), constant(4), constant(12), constant(16)


class SoftLight(BlendMode):
    """Lightens or darkens softly, as a diffuse light does."""

    id: ClassVar[str] = "soft-light"
    label: ClassVar[str] = "Soft light"
    rank: ClassVar[int] = 4
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")

    @staticmethod
    def value(below: float, above: float) -> float:
        if above <= HALF:
            return below - (ONE - TWO * above) * below * (ONE - below)
        bent = ((SIXTEEN * below - TWELVE) * below + FOUR) * below if below <= QUARTER else np.sqrt(below)
        return below + (TWO * above - ONE) * (bent - below)
