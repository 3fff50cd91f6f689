"""TIFF, 8 or 16 bits a component, deflated without loss."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.output.images import encoded, to_bits
from ruvelt.core.output.writer import MapWriter

#: The zlib stream of the TIFF 6.0 supplement, by its number there, and the difference of neighbours before it.
DEFLATE, DIFFERENCES = 8, 2


class Tiff(MapWriter):
    """TIFF, 8 or 16 bits a component, deflated without loss."""

    id: ClassVar[str] = "tiff"
    label: ClassVar[str] = "TIFF"
    suffix: ClassVar[str] = ".tif"
    bits: ClassVar[tuple[int, ...]] = (8, 16)
    rank: ClassVar[int] = 1

    def encode(self, values_u16: NDArray[np.uint16], bits: int) -> bytes:
        settings = [cv2.IMWRITE_TIFF_COMPRESSION, DEFLATE, cv2.IMWRITE_TIFF_PREDICTOR, DIFFERENCES]
        return encoded(to_bits(values_u16, bits), self.suffix, settings)
