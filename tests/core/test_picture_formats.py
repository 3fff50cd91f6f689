"""Every format of maps, read back to the code by a library that did not write it."""

from __future__ import annotations

import contextlib
import io
import struct
import tempfile
import zlib
from pathlib import Path

import cv2
import imagecodecs
import numpy as np
import OpenEXR
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from PIL import Image, ImageCms

from ruvelt.core.color.encoding import DECODE_U16
from ruvelt.core.errors import InputError
from ruvelt.core.output.incoming_picture import picture_in
from ruvelt.core.output.render import dithered
from ruvelt.core.output.writer import About, bits_for, writer_of, writers

RNG = np.random.default_rng(7)
COUNTS = (1, 3, 4)


def picture(count: int, side: int = 96) -> np.ndarray:
    """Noise, and a corner that is all clear: its colours have to stay."""
    made = RNG.integers(0, 65536, (side, side, count)).astype(np.uint16)
    made[:16, :16, -1] = 0
    return made if count > 1 else made[..., 0]


def eight(values_u16: np.ndarray) -> np.ndarray:
    return np.floor(values_u16 / 257 + 0.5).astype(np.uint8)


def exr(data: bytes) -> list[dict[str, np.ndarray]]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        path.write_bytes(data)
        with OpenEXR.File(str(path), separate_channels=True) as file:
            return [{name: np.array(c.pixels) for name, c in part.channels.items()} | {"name": part.name()} for part in file.parts]


@pytest.mark.parametrize("count", COUNTS)
@pytest.mark.parametrize("bits", [8, 16])
def test_png(count: int, bits: int) -> None:
    pixels = picture(count)
    data = writer_of("png").encode(pixels, bits)
    assert_array_equal(imagecodecs.png_decode(data), pixels if bits == 16 else eight(pixels))
    # The header: depth, and a kind of colour that has no palette.
    assert data[24] == bits
    assert data[25] == {1: 0, 3: 2, 4: 6}[count]
    # Data has no colour space that a reader could take it through; sRGB says so in both of its chunks, before the pixels.
    assert b"gAMA" not in data
    told = writer_of("png").encode(pixels, bits, About("srgb"))
    assert told.index(b"sRGB") < told.index(b"gAMA") < told.index(b"IDAT")
    assert struct.unpack(">I", told[told.index(b"gAMA") + 4 :][:4]) == (45455,)
    assert Image.open(io.BytesIO(told)).info["srgb"] == 0
    light = writer_of("png").encode(pixels, bits, About("linear"))
    assert Image.open(io.BytesIO(light)).info["gamma"] == 1
    assert_array_equal(imagecodecs.png_decode(told), imagecodecs.png_decode(data))


@pytest.mark.parametrize("count", COUNTS)
@pytest.mark.parametrize("bits", [8, 16, 32])
def test_tiff(count: int, bits: int) -> None:
    pixels = picture(count)
    given = pixels.astype(np.float32) * np.float32(3.5) - 1 if bits == 32 else pixels
    data = writer_of("tiff").encode(given, bits)
    # OpenCV multiplies 8-bit colours by alpha where it reads TIFFs: there it is given none.
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED) if (bits, count) != (8, 4) else np.asarray(Image.open(io.BytesIO(data)))
    found = found if count == 1 or (bits, count) == (8, 4) else found[..., [2, 1, 0, 3][:count]]
    assert_array_equal(found, given if bits == 32 else pixels if bits == 16 else eight(pixels))
    # Tags: deflate, and an alpha that says that colours are not multiplied by it.
    with Image.open(io.BytesIO(writer_of("tiff").encode(pixels, 8))) as picture_again:
        assert picture_again.tag_v2[259] in (8, 32946)  # type: ignore[attr-defined]
        assert picture_again.tag_v2.get(338) == ((2,) if count == 4 else None)  # type: ignore[attr-defined]
        assert_array_equal(np.asarray(picture_again), eight(pixels))


@pytest.mark.parametrize("count", COUNTS)
@pytest.mark.parametrize("bits", [16, 32])
def test_exr(count: int, bits: int) -> None:
    given = picture(count).astype(np.float32) / 9999 - 2
    (part,) = exr(writer_of("exr").encode(given, bits))
    planes = [given] if count == 1 else [given[..., k] for k in range(count)]
    for letter, plane in zip({1: "Y", 3: "RGB", 4: "RGBA"}[count], planes, strict=True):
        assert part[letter].dtype == (np.float16 if bits == 16 else np.float32)
        assert_array_equal(part[letter], plane.astype(part[letter].dtype))
    # What a half cannot hold is its largest, never infinity.
    (part,) = exr(writer_of("exr").encode(np.full((8, 8), 1e9, np.float32), 16))
    assert_array_equal(part["Y"], np.float16(65504))


@pytest.mark.parametrize("parts", [False, True])
def test_exr_of_all_maps_by_name(parts: bool) -> None:
    colour, rough = picture(3).astype(np.float32) / 65535, picture(1).astype(np.float32) / 65535
    data = writer_of("exr").encode_layers(  # type: ignore[attr-defined]
        [("base_color", colour, 32, About("linear")), ("roughness", rough, 16, About())], parts
    )
    found = exr(data)
    if parts:
        assert [p["name"] for p in found] == ["base_color", "roughness"]
        assert_array_equal(found[0]["G"], colour[..., 1])
        assert_array_equal(found[1]["Y"], rough.astype(np.float16))
    else:
        assert_array_equal(found[0]["base_color.B"], colour[..., 2])
        assert_array_equal(found[0]["roughness"], rough.astype(np.float16))


@pytest.mark.parametrize("count", COUNTS)
def test_tga(count: int) -> None:
    pixels = picture(count)
    pixels[40:] = pixels[40:41]
    data = writer_of("tga").encode(pixels, 8)
    found = cv2.imdecode(np.frombuffer(data, np.uint8), cv2.IMREAD_UNCHANGED)
    # Some builds read no TGA: then it is taken apart by what Truevision's specification says.
    if found is None:
        assert data[2] in (10, 11)
        found = np.asarray(Image.open(io.BytesIO(data)))[..., [2, 1, 0, 3][:count]] if count > 1 else np.asarray(Image.open(io.BytesIO(data)))
    assert_array_equal(found if count == 1 else found[..., [2, 1, 0, 3][:count]], eight(pixels))
    assert len(data) < pixels.size + 4000


@pytest.mark.parametrize("count", [1, 3])
def test_jpeg_by_its_quality(count: int) -> None:
    y, x = np.mgrid[:128, :128]
    smooth = np.stack([x * 400, y * 400, (x + y) * 200], axis=-1).astype(np.uint16)
    pixels = smooth if count == 3 else smooth[..., 0]
    best, poor = (writer_of("jpeg").encode(pixels, 8, About("srgb", quality)) for quality in (98, 20))
    assert len(best) > len(poor)
    assert np.abs(imagecodecs.jpeg_decode(best).astype(int) - eight(pixels)).mean() < 0.8
    # Colours are as fine as brightness: no component is halved.
    if count == 3:
        assert Image.open(io.BytesIO(best)).layer[0][1:3] == Image.open(io.BytesIO(best)).layer[1][1:3]  # type: ignore[attr-defined]


@pytest.mark.parametrize("count", COUNTS)
def test_webp_without_loss_keeps_what_lies_under_clear_places(count: int) -> None:
    pixels = picture(count)
    found = imagecodecs.webp_decode(writer_of("webp").encode(pixels, 8, About("srgb", 100)))
    assert_array_equal(found if count > 1 else found[..., 0], eight(pixels))
    assert len(writer_of("webp").encode(pixels, 8, About("srgb", 30))) < len(writer_of("webp").encode(pixels, 8, About("srgb", 95)))


@pytest.mark.parametrize("format_id", sorted(writers()))
def test_the_same_pixels_are_the_same_bytes(format_id: str) -> None:
    writer = writer_of(format_id)
    for bits in writer.bits:
        pixels = picture(3).astype(np.float32) if bits in writer.floats else picture(3)
        assert writer.encode(pixels, bits) == writer.encode(pixels.copy(), bits)
    assert bits_for(writer, 8) == min(writer.bits)


def test_dithering_keeps_the_mean_and_whole_steps() -> None:
    """A ramp too flat for 8 bits has its mean kept within a tenth of a step everywhere, where rounding is off by half of one."""
    ramp = np.broadcast_to(np.linspace(20000, 20000 + 3 * 257, 512)[None], (512, 512)).astype(np.uint16)
    made = dithered(ramp)
    assert set(np.unique(made % 257)) == {0}
    blocks = (made.astype(float) - ramp).reshape(16, 32, 16, 32).mean(axis=(1, 3)) / 257
    assert_allclose(blocks, 0, atol=0.1)
    whole = (RNG.integers(0, 256, (64, 64)) * 257).astype(np.uint16)
    assert_array_equal(dithered(whole), whole)


@pytest.mark.parametrize("format_id", sorted(writers()))
def test_what_is_written_is_read_again(format_id: str) -> None:
    """By what people bring pictures in with; colours in linear light come back as they were encoded."""
    writer = writer_of(format_id)
    for count in writer.counts:
        pixels = picture(count)
        for bits in writer.bits:
            light = DECODE_U16[pixels] if count > 1 and format_id == "exr" else pixels.astype(np.float32) / np.float32(65535)
            if count == 4 and format_id == "exr":
                light[..., 3] = pixels[..., 3] / 65535
            data = writer.encode(light if bits in writer.floats else pixels, bits, About("srgb", 100))
            found, told = picture_in(data, f"a{writer.suffix}")
            assert bool(told) == (bits in writer.floats)
            wanted = pixels if count > 1 else np.repeat(pixels[..., None], 3, axis=2)
            allowed = 0 if bits == 16 and not writer.floats else 128 if bits == 8 else 1 if bits == 32 else 40
            if format_id == "jpeg":
                allowed = 9000
            assert np.abs(found[..., : wanted.shape[2]].astype(int) - wanted).max() <= allowed, (format_id, count, bits)


def png_with(kind: bytes, content: bytes) -> bytes:
    data = writer_of("png").encode(picture(3), 8)
    chunk = struct.pack(">I", len(content)) + kind + content + struct.pack(">I", zlib.crc32(kind + content))
    return data[:33] + chunk + data[33:]


def test_colour_profiles_and_gammas_are_told() -> None:
    assert picture_in(png_with(b"gAMA", struct.pack(">I", 100000)), "a.png")[1] == ["It says a gamma of 1; its numbers were taken as they are."]
    assert picture_in(png_with(b"gAMA", struct.pack(">I", 45455)), "a.png")[1] == []
    out = io.BytesIO()
    Image.fromarray(eight(picture(3))).save(out, "PNG", icc_profile=ImageCms.ImageCmsProfile(ImageCms.createProfile("LAB")).tobytes())
    assert "colour profile" in picture_in(out.getvalue(), "a.png")[1][0]
    out = io.BytesIO()
    Image.fromarray(eight(picture(3))).save(out, "JPEG", icc_profile=ImageCms.ImageCmsProfile(ImageCms.createProfile("sRGB")).tobytes())
    assert picture_in(out.getvalue(), "a.jpg")[1] == []


@pytest.mark.parametrize("kind", ["TIFF", "JPEG"])
def test_cmyk_is_refused_in_words(kind: str) -> None:
    out = io.BytesIO()
    Image.new("CMYK", (32, 32)).save(out, kind)
    with pytest.raises(InputError, match="is CMYK, which is for print"):
        picture_in(out.getvalue(), "a")


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("format_id", ["exr", "tiff", "tga"])
def test_mutated_files_are_read_or_refused_in_words(format_id: str) -> None:
    writer, random = writer_of(format_id), np.random.default_rng(5)
    pixels = picture(3, 24)
    good = writer.encode(pixels.astype(np.float32) if writer.floats else pixels, max(writer.bits))
    for number in range(300):
        bad = np.frombuffer(good, np.uint8).copy()
        places = random.integers(0, min(len(bad), 400 if number % 2 else len(bad)), random.integers(1, 7))
        bad[places] = random.integers(0, 256, len(places))
        with contextlib.suppress(InputError):
            picture_in(bad[: random.integers(1, len(bad))].tobytes() if number % 5 == 0 else bad.tobytes(), "x")


def test_an_exr_that_claims_too_much_is_refused_before_it_is_read() -> None:
    part = OpenEXR.Part(
        {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}, {f"c{k}": np.zeros((64, 64), np.float16) for k in range(40)}, ""
    )
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.exr"
        OpenEXR.File([part]).write(str(path))
        data = bytearray(path.read_bytes())
    at = data.index(b"dataWindow") + len(b"dataWindow\0box2i\0") + 4
    data[at + 8 : at + 16] = struct.pack("<ii", 8000, 8000)
    with pytest.raises(InputError, match=r"40 channels of 8001 × 8001"):
        picture_in(bytes(data), "a.exr")
