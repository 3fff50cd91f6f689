"""Pictures that people bring in: every format that is written here is read as well, and what a file says of its colours is told."""

from __future__ import annotations

import io
import struct
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import OpenEXR
from numpy.typing import NDArray
from PIL import Image, ImageCms

from ruvelt.core.color.encoding import linear_to_srgb_float
from ruvelt.core.errors import InputError
from ruvelt.core.output.images import BOMBS, BROKEN, MAX_SIDE, decode_image
from ruvelt.core.output.tiff_in import MAGICS, read_tiff
from ruvelt.core.planes.plane import U16

#: Numbers in an OpenEXR: four channels at the largest size.
MOST_NUMBERS = 4 * MAX_SIDE * MAX_SIDE
EXR_MAGIC = b"\x76\x2f\x31\x01"
#: Channels of an OpenEXR that make a picture, in the order they are looked for; the last is alpha.
_COLOURS, _GREYS = ("R", "G", "B"), ("Y", "L", "V")
#: 1 / 2.2 and sRGB's own, as PNG writes gammas (times 100,000): what everyone means by sRGB.
_USUAL_GAMMAS = (45455, 45454)


def picture_in(data: bytes, name: str) -> tuple[U16, list[str]]:
    """(h, w, 4) uint16 RGBA, colours encoded as sRGB where the file has them in linear light, and what is worth telling of the file.

    Raises InputError, in words that say what to do, for what is no picture, too large, or CMYK.
    """
    if data[:4] == EXR_MAGIC:
        return _exr(data, name)
    if data[:4] in MAGICS and (values := read_tiff(data, name, MAX_SIDE)) is not None and values.dtype.kind == "f":
        planes = values[..., None].repeat(3, axis=2) if values.ndim == 2 else values
        alpha = planes[..., 3] if planes.shape[2] == 4 else None
        return _rgba(planes[..., :3], alpha), ["Its floating-point values are read from 0 to 1; what lies beyond is cut."]
    told: list[str] = []
    mode, kind, width, height = "", "", 0, 0
    try:
        with Image.open(io.BytesIO(data), formats=("PNG", "TIFF", "JPEG", "WEBP", "TGA")) as probe:
            mode, kind, (width, height) = probe.mode, str(probe.format), probe.size
            told += _profile(probe.info.get("icc_profile"))
            told += _gamma(data) if kind == "PNG" else []
            if kind == "TGA" and max(width, height) <= MAX_SIDE:
                return _codes(np.asarray(probe.convert("RGBA"))), told
    except (*BROKEN, *BOMBS):
        # Said by what reads it below.
        told = []
    if mode == "CMYK":
        raise InputError(f"'{name}' is CMYK, which is for print and has no exact way to RGB. Convert it to sRGB and save it again.")
    if kind == "TGA":
        raise InputError(f"'{name}' is {width} × {height} pixels; at most {MAX_SIDE} a side can be read. Make it smaller.")
    if mode == "P":
        told.append("It has a palette; its colours were read as they are listed there.")
    return decode_image(data, name), told


def _codes(pixels: NDArray[Any]) -> U16:
    return np.ascontiguousarray(pixels.astype(np.uint16) * 257)


def _profile(profile: bytes | None) -> list[str]:
    if not profile:
        return []
    try:
        title = ImageCms.getProfileDescription(ImageCms.ImageCmsProfile(io.BytesIO(profile))).strip()
    except (ImageCms.PyCMSError, OSError, ValueError, TypeError):
        return ["It has a colour profile that cannot be read; its numbers were taken as sRGB."]
    if "srgb" in title.lower().replace(" ", ""):
        return []
    return [f"It has the colour profile “{title[:60]}”; its numbers were taken as sRGB. Convert it to sRGB first if its colours look wrong."]


def _gamma(data: bytes) -> list[str]:
    """What a PNG says of its gamma, if that is not the usual one (PNG specification, 11.3.2.2)."""
    at = 8
    while at + 12 <= len(data):
        (length,), kind = struct.unpack_from(">I", data, at), data[at + 4 : at + 8]
        if kind == b"sRGB" or kind == b"IDAT":
            return []
        if kind == b"gAMA" and length == 4:
            (gamma,) = struct.unpack_from(">I", data, at + 8)
            if gamma in _USUAL_GAMMAS:
                return []
            return [f"It says a gamma of {gamma / 100000:.3g}; its numbers were taken as they are."]
        at += 12 + length
    return []


def _rgba(colours: NDArray[np.float32], alpha: NDArray[np.float32] | None) -> U16:
    clear = np.ones(colours.shape[:2], np.float32) if alpha is None else alpha
    whole = np.nan_to_num(np.concatenate([colours, clear[..., None]], axis=2), nan=0.0, posinf=1.0, neginf=0.0)
    return np.ascontiguousarray(np.rint(np.clip(whole, 0, 1) * 65535).astype(np.uint16))


def _exr(data: bytes, name: str) -> tuple[U16, list[str]]:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "in.exr"
        path.write_bytes(data)
        try:
            with OpenEXR.File(str(path), header_only=True) as file:
                box = file.parts[0].header["dataWindow"]
                size = [int(v) for v in np.asarray(box[1]) - np.asarray(box[0]) + 1]
                count = len(file.parts[0].header["channels"])
            if size[0] * size[1] * count > MOST_NUMBERS:
                raise InputError(
                    f"'{name}' has {count} channels of {size[0]} × {size[1]}; that is more than can be read. Save the one picture alone."
                )
            if not 0 < min(size) <= max(size) <= MAX_SIDE:
                raise InputError(f"'{name}' is {size[0]} × {size[1]} pixels; at most {MAX_SIDE} a side can be read. Make it smaller.")
            with OpenEXR.File(str(path), separate_channels=True) as file:
                planes = {key: np.asarray(c.pixels, np.float32) for key, c in file.parts[0].channels.items()}
                parts = len(file.parts)
        except InputError:
            raise
        except Exception:
            raise InputError(f"'{name}' is a damaged OpenEXR, or of a kind that cannot be read. Save it again, or as PNG.") from None
    told = [] if parts == 1 else [f"It has {parts} parts; the first is read."]
    alpha = planes.get("A")
    if all(c in planes and planes[c].shape == planes["R"].shape for c in _COLOURS):
        light = np.clip(np.nan_to_num(np.stack([planes[c] for c in _COLOURS], axis=-1)), 0, 1)
        told.append("Its colours are in linear light: they were encoded as sRGB, and what is brighter than white was cut.")
        return _rgba(np.asarray(linear_to_srgb_float(light), np.float32), alpha), told
    grey = next((planes[c] for c in _GREYS if c in planes), next(iter(planes.values()), None))
    if grey is None or grey.ndim != 2:
        raise InputError(f"'{name}' has no channels R, G and B or Y. Save it again with the usual names.")
    told.append("Its values are read from 0 to 1; what lies beyond is cut.")
    return _rgba(grey[..., None].repeat(3, axis=2), alpha), told
