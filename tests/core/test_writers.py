"""Every writer, read back by another library, to the code."""

from __future__ import annotations

import io

import numpy as np
import pytest
from PIL import Image

from ruvelt.core.errors import InputError
from ruvelt.core.output.writer import bits_for, writer_of, writers

RANDOM = np.random.default_rng(5)
SHAPES = {"grey": (7, 5), "colour": (7, 5, 3), "with alpha": (7, 5, 4)}


@pytest.mark.parametrize("name", [w.id for w in writers().values() if 8 in w.bits and not w.lossy])
@pytest.mark.parametrize("shape", SHAPES.values(), ids=list(SHAPES))
def test_eight_bits_come_back_to_the_code(name: str, shape: tuple[int, ...]) -> None:
    values_u16 = RANDOM.integers(0, 65536, shape, np.uint16)
    data = writer_of(name).encode(values_u16, 8)
    with Image.open(io.BytesIO(data)) as picture:
        back = np.asarray(picture)
    # To the nearest of 255 steps.
    assert np.array_equal(back, np.rint(values_u16 / 257).astype(np.uint8))
    assert writer_of(name).encode(values_u16.copy(), 8) == data


@pytest.mark.parametrize("name", [w.id for w in writers().values() if 16 in w.bits and 16 not in w.floats])
def test_sixteen_bits_come_back_to_the_code(name: str) -> None:
    values_u16 = RANDOM.integers(0, 65536, (7, 5), np.uint16)
    with Image.open(io.BytesIO(writer_of(name).encode(values_u16, 16))) as picture:
        assert np.array_equal(np.asarray(picture).astype(np.uint16), values_u16)


def test_sixteen_bits_of_colour_as_the_bytes_of_the_tiff_say() -> None:
    """Pillow reads no 16-bit colour: strips of the file are inflated and summed here, as TIFF 6.0 and its supplement say."""
    import struct
    import zlib

    values_u16 = RANDOM.integers(0, 65536, (9, 6, 3), np.uint16)
    data = writer_of("tiff").encode(values_u16, 16)
    assert data[:4] == b"II*\0"
    (at,) = struct.unpack("<I", data[4:8])
    (count,) = struct.unpack("<H", data[at : at + 2])
    tags = {}
    for i in range(count):
        tag, kind, many, value = struct.unpack("<HHII", data[at + 2 + 12 * i : at + 14 + 12 * i])
        size = {1: 1, 3: 2, 4: 4, 5: 8}.get(kind, 1) * many
        raw = struct.pack("<I", value) if size <= 4 else data[value : value + size]
        tags[tag] = struct.unpack(f"<{many}{'H' if kind == 3 else 'I'}", raw[:size]) if kind in (3, 4) else raw
    assert tags[258] == (16, 16, 16)
    assert tags[259] in ((8,), (32946,))
    assert tags[262] == (2,)
    strips = b"".join(zlib.decompress(data[a : a + n]) for a, n in zip(tags[273], tags[279], strict=True))
    pixels = np.frombuffer(strips, "<u2").reshape(values_u16.shape).astype(np.uint16)
    if tags.get(317) == (2,):
        pixels = np.cumsum(pixels, axis=1, dtype=np.uint16)
    assert np.array_equal(pixels, values_u16)


def test_formats_and_bits() -> None:
    assert [w.label for w in writers().values()] == ["PNG", "TIFF", "OpenEXR", "TGA", "JPEG", "WebP"]
    assert bits_for(writer_of("png"), 16) == 16
    with pytest.raises(InputError, match="Nothing here writes 'bmp'. Choose one of png, tiff, exr, tga, jpeg, webp"):
        writer_of("bmp")
