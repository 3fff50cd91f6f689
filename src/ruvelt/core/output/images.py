"""Pictures in and out, and resizing. The same pixels always give the same bytes."""

from __future__ import annotations

import io
import struct
import warnings
import zlib
from typing import Any

import cv2
import numpy as np
from numpy.typing import NDArray
from PIL import Image, UnidentifiedImageError

from ruvelt.core.color.encoding import DECODE_U16, linear_to_srgb_float
from ruvelt.core.errors import InputError
from ruvelt.core.output.tiff_in import MAGICS, read_tiff

MAX_SIDE = 8192


def to_bits(values_u16: NDArray[np.uint16], bits: int) -> NDArray[Any]:
    """Codes at 8 or 16 bits a component, rounded to the nearest."""
    return ((values_u16.astype(np.uint32) * 255 + 32767) // 65535).astype(np.uint8) if bits == 8 else values_u16


def encoded(pixels: NDArray[Any], suffix: str, parameters: list[int]) -> bytes:
    """A picture file of (h, w), (h, w, 3) or (h, w, 4) RGB(A) pixels by OpenCV. Raises InputError where it cannot be made."""
    if pixels.ndim == 3:
        pixels = pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    ok, data = cv2.imencode(suffix, np.ascontiguousarray(pixels), parameters)
    if not ok:
        raise InputError(f"A map could not be written as {suffix[1:].upper()}. Try a smaller size.")
    return bytes(data.tobytes())


def encode_png(values_u16: NDArray[np.uint16], bits: int) -> bytes:
    """(h, w), (h, w, 3) or (h, w, 4) uint16 codes to PNG bytes of 8 or 16 bits a component."""
    return encoded(to_bits(values_u16, bits), ".png", [cv2.IMWRITE_PNG_COMPRESSION, 4])


def resize(values_u16: NDArray[np.uint16], side: int, colour: bool) -> NDArray[np.uint16]:
    """A square of codes at another size: area average down, cubic up; the first three components of colour in linear light."""
    if values_u16.shape[0] == side:
        return values_u16
    values = values_u16.astype(np.float32) / np.float32(65535)
    if colour and values_u16.ndim == 3:
        values[..., :3] = DECODE_U16[values_u16[..., :3]]
    direction = cv2.INTER_AREA if side < values_u16.shape[0] else cv2.INTER_CUBIC
    out = np.clip(cv2.resize(values, (side, side), interpolation=direction), 0, 1)
    if colour and values_u16.ndim == 3:
        out[..., :3] = linear_to_srgb_float(out[..., :3])
    return np.asarray(np.rint(out * 65535), np.uint16)


#: How files begin whose depth and alpha are read as they are: PNG, WebP, and TIFF of either byte order.
WHOLE_DEPTH = (b"\x89PNG", b"RIFF", b"II*\0", b"MM\0*")
FORMATS = ("PNG", "TIFF", "JPEG", "WEBP")
#: Whatever Pillow says of bytes that are no whole picture.
BROKEN = (UnidentifiedImageError, OSError, SyntaxError, ValueError, EOFError, TypeError, ArithmeticError, LookupError, struct.error, zlib.error)
#: Pictures too large to look at. Large ones of which Pillow only warns are refused by their sides; filters of warnings are no thread's own.
BOMBS = (Image.DecompressionBombError, Image.DecompressionBombWarning)
warnings.filterwarnings("ignore", category=Image.DecompressionBombWarning)


def check_picture(data: bytes) -> tuple[int, int]:
    """Width and height of a picture that is whole. Raises InputError, in words that go on after its name, when it cannot be used."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as picture:
            width, height = picture.size
            if max(width, height) > MAX_SIDE:
                raise InputError(f"it is {width} × {height} pixels; at most {MAX_SIDE} a side can be used. Make it smaller.")
            if picture.format == "PNG":
                # Its checksums tell whether it is whole.
                picture.verify()
            else:
                # Of a JPEG an eighth will do: all of its bytes are read for it.
                picture.draft(None, (width // 8, height // 8))
                picture.load()
    except BOMBS:
        raise InputError(f"it is enormous; at most {MAX_SIDE} pixels a side can be used. Make it smaller.") from None
    except UnidentifiedImageError:
        raise InputError("it is not a PNG, JPEG, TIFF or WebP picture. Save it again as PNG.") from None
    except BROKEN:
        raise InputError("it is damaged or cut off. Save it again as PNG.") from None
    return width, height


def decode_image(data: bytes, name: str, upright: bool = True) -> NDArray[np.uint16]:
    """(h, w, 4) uint16 RGBA of a PNG, TIFF, JPEG or WebP, as encoded in the file.

    upright : turned as a photograph's notes say; textures of a model lie as they are
    Raises InputError when the bytes are no such picture or a side is longer than 8192 pixels; the size is read before the pixels.
    """
    # RGB, as it lies in the file; other readers multiply colours by alpha.
    plain = read_tiff(data, name, MAX_SIDE) if data[:4] in MAGICS else None
    pixels = _decoded(data, name, upright) if plain is None or plain.dtype.kind == "f" else plain
    if pixels.ndim == 2:
        pixels = pixels[..., None].repeat(3, axis=2)
    if pixels.dtype == np.uint8:
        pixels = pixels.astype(np.uint16) * 257
    if pixels.shape[2] == 3:
        pixels = np.concatenate([pixels, np.full((*pixels.shape[:2], 1), 65535, np.uint16)], axis=2)
    return np.ascontiguousarray(pixels)


def _decoded(data: bytes, name: str, upright: bool) -> NDArray[Any]:
    """RGB, RGBA or grey pixels of a file by OpenCV. Raises InputError."""
    try:
        with Image.open(io.BytesIO(data), formats=FORMATS) as probe:
            width, height = probe.size
            deep = probe.mode.startswith(("I", "F"))
    except (*BROKEN, *BOMBS):
        raise InputError(f"'{name}' is not a PNG, TIFF, JPEG or WebP picture of at most {MAX_SIDE} pixels a side. Save it again as PNG.") from None
    if max(width, height) > MAX_SIDE:
        raise InputError(f"'{name}' is {width} × {height} pixels; at most {MAX_SIDE} a side can be read. Make it smaller.")
    flags = cv2.IMREAD_UNCHANGED if deep or data[:4] in WHOLE_DEPTH else cv2.IMREAD_COLOR
    if not upright and flags == cv2.IMREAD_COLOR:
        flags |= cv2.IMREAD_IGNORE_ORIENTATION
    try:
        pixels = cv2.imdecode(np.frombuffer(data, np.uint8), flags)
    except cv2.error:
        pixels = None
    if pixels is None or pixels.dtype not in (np.uint8, np.uint16):
        raise InputError(f"'{name}' is damaged or of a kind that cannot be read. Save it again as 8- or 16-bit PNG.")
    found: NDArray[Any] = pixels if pixels.ndim == 2 else pixels[..., [2, 1, 0, 3][: pixels.shape[2]]]
    return found
