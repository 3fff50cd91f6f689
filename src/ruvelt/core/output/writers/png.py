"""PNG, 8 or 16 bits a component, without loss."""

from __future__ import annotations

import struct
import zlib
from typing import Any, ClassVar

from numpy.typing import NDArray

from ruvelt.core.output.images import encode_png
from ruvelt.core.output.writer import PLAIN, About, MapWriter

#: Behind the signature (8) and the header chunk (25): colour spaces are told before the pixels (PNG specification, third edition, 11.3.2).
HEADER_END = 33


def _chunk(kind: bytes, data: bytes) -> bytes:
    return struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data))


#: sRGB by its relative intent, and the gamma that the specification wants beside it; gamma 1 for colours in linear light.
_SPACES = {"srgb": _chunk(b"sRGB", b"\0") + _chunk(b"gAMA", struct.pack(">I", 45455)), "linear": _chunk(b"gAMA", struct.pack(">I", 100000))}


class Png(MapWriter):
    """PNG, 8 or 16 bits a component, without loss. Data says nothing of colour: a reader that knows of colours must not change it."""

    id: ClassVar[str] = "png"
    label: ClassVar[str] = "PNG"
    suffix: ClassVar[str] = ".png"
    bits: ClassVar[tuple[int, ...]] = (8, 16)
    rank: ClassVar[int] = 0

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        data = encode_png(pixels, bits)
        return data[:HEADER_END] + _SPACES.get(about.space, b"") + data[HEADER_END:]
