"""TIFF, 8 or 16 bits a component or 32 bits floating-point, deflated without loss."""

from __future__ import annotations

import io
from typing import Any, ClassVar

import tifffile
from numpy.typing import NDArray

from ruvelt.core.output.images import to_bits
from ruvelt.core.output.writer import PLAIN, About, MapWriter


class Tiff(MapWriter):
    """TIFF, 8 or 16 bits a component or 32 bits floating-point, deflated without loss; a fourth component is alpha by itself, not multiplied in."""

    id: ClassVar[str] = "tiff"
    label: ClassVar[str] = "TIFF"
    suffix: ClassVar[str] = ".tif"
    bits: ClassVar[tuple[int, ...]] = (8, 16, 32)
    floats: ClassVar[tuple[int, ...]] = (32,)
    rank: ClassVar[int] = 1

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        out = io.BytesIO()
        tifffile.imwrite(
            out,
            pixels if bits == 32 else to_bits(pixels, bits),
            photometric="minisblack" if pixels.ndim == 2 else "rgb",
            extrasamples=["unassalpha"] if pixels.ndim == 3 and pixels.shape[2] == 4 else None,
            compression="zlib",
            # Differences of neighbours, which readers of floating-point TIFFs know less of.
            predictor=bits != 32,
            rowsperstrip=64,
            metadata=None,
            software="Ruvelt",
        )
        return out.getvalue()
