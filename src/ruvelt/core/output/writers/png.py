"""PNG, 8 or 16 bits a component, without loss."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.output.images import encode_png
from ruvelt.core.output.writer import MapWriter


class Png(MapWriter):
    """PNG, 8 or 16 bits a component, without loss."""

    id: ClassVar[str] = "png"
    label: ClassVar[str] = "PNG"
    suffix: ClassVar[str] = ".png"
    bits: ClassVar[tuple[int, ...]] = (8, 16)
    rank: ClassVar[int] = 0

    def encode(self, values_u16: NDArray[np.uint16], bits: int) -> bytes:
        return encode_png(values_u16, bits)
