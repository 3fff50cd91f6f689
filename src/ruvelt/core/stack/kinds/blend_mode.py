"""What a blend mode says of itself, and its formula."""

from __future__ import annotations

from typing import ClassVar, cast

import numpy as np


def constant(value: float) -> float:
    """A number of a formula: a plain 0.5 would make the compiled loop work in double precision."""
    return cast(float, np.float32(value))


ZERO, HALF, ONE, TWO = constant(0), constant(0.5), constant(1), constant(2)
#: The code of no height, as a share of all codes.
FLAT = constant(32768 / 65535)
#: What has no code of its own in the kernel is laid by the loop made of its `value`.
OTHER = 32


class BlendMode:
    """kinds : of the channels that offer it; code : of a mode that the evaluation kernel has written out.

    A mode that has none gives its formula as `value`. Formulas: W3C Compositing and Blending Level 1, section 9.1, and for height plain
    arithmetic around the flat value.
    """

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    rank: ClassVar[int] = 1000
    kinds: ClassVar[tuple[str, ...]] = ("colour", "data")
    code: ClassVar[int] = OTHER

    @staticmethod
    def value(below: float, above: float) -> float:
        """B(cb, cs) of one component, 0–1, float32: it is compiled, so it is plain arithmetic on the two and on constants of its module."""
        raise NotImplementedError

    @classmethod
    def kind_id(cls) -> str:
        return cls.id
