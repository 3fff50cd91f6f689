"""TGA (Truevision 2.0), 8 bits a component, run-length encoded without loss."""

from __future__ import annotations

import io
from typing import Any, ClassVar

from numpy.typing import NDArray
from PIL import Image

from ruvelt.core.output.images import to_bits
from ruvelt.core.output.writer import PLAIN, About, MapWriter


class Tga(MapWriter):
    """TGA, 8 bits a component, run-length encoded without loss."""

    id: ClassVar[str] = "tga"
    label: ClassVar[str] = "TGA"
    suffix: ClassVar[str] = ".tga"
    rank: ClassVar[int] = 3

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        out = io.BytesIO()
        Image.fromarray(to_bits(pixels, 8)).save(out, "TGA", compression="tga_rle")
        return out.getvalue()
