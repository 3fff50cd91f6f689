"""A file format for maps."""

from __future__ import annotations

from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.output.images import to_bits
from ruvelt.core.output.writer import MapWriter


class Netpbm(MapWriter):
    """Portable graymaps and pixmaps (Netpbm, P5 and P6); what alpha there is, is left out."""

    id: ClassVar[str] = "netpbm"
    label: ClassVar[str] = "Netpbm"
    suffix: ClassVar[str] = ".pnm"
    bits: ClassVar[tuple[int, ...]] = (8, 16)

    def encode(self, values_u16: NDArray[np.uint16], bits: int) -> bytes:
        pixels = to_bits(values_u16[..., :3] if values_u16.ndim == 3 else values_u16, bits)
        kind, (height, width) = 6 if pixels.ndim == 3 else 5, pixels.shape[:2]
        head = f"P{kind} {width} {height} {2**bits - 1}\n".encode()
        return head + np.ascontiguousarray(pixels, ">u2" if bits == 16 else "u1").tobytes()
