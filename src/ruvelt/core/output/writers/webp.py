"""WebP, 8 bits a component; at quality 100 without loss."""

from __future__ import annotations

import io
from typing import Any, ClassVar

import numpy as np
from numpy.typing import NDArray
from PIL import Image

from ruvelt.core.output.images import to_bits
from ruvelt.core.output.writer import PLAIN, About, MapWriter


class WebP(MapWriter):
    """WebP, 8 bits a component; at quality 100 without loss. It has no grey pictures: red, green and blue are all that."""

    id: ClassVar[str] = "webp"
    label: ClassVar[str] = "WebP"
    suffix: ClassVar[str] = ".webp"
    lossy: ClassVar[bool] = True
    rank: ClassVar[int] = 5

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        codes = to_bits(pixels, 8)
        if codes.ndim == 2:
            codes = np.repeat(codes[..., None], 3, axis=2)
        out = io.BytesIO()
        # What lies under clear places is kept: alpha may mean something else there.
        Image.fromarray(codes).save(out, "WEBP", quality=about.quality, lossless=about.quality == 100, exact=True)
        return out.getvalue()
