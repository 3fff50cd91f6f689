"""JPEG, 8 bits a component, with loss."""

from __future__ import annotations

from typing import Any, ClassVar

import cv2
from numpy.typing import NDArray

from ruvelt.core.output.images import encoded, to_bits
from ruvelt.core.output.writer import PLAIN, About, MapWriter


class Jpeg(MapWriter):
    """JPEG, 8 bits a component, with loss, colours as fine as brightness. It has no alpha."""

    id: ClassVar[str] = "jpeg"
    label: ClassVar[str] = "JPEG"
    suffix: ClassVar[str] = ".jpg"
    counts: ClassVar[tuple[int, ...]] = (1, 3)
    lossy: ClassVar[bool] = True
    rank: ClassVar[int] = 4

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        settings = [cv2.IMWRITE_JPEG_QUALITY, about.quality, cv2.IMWRITE_JPEG_SAMPLING_FACTOR, cv2.IMWRITE_JPEG_SAMPLING_FACTOR_444]
        return encoded(to_bits(pixels, 8), self.suffix, settings)
