"""OpenEXR, half or 32-bit floating-point numbers: one picture, or all maps of a sheet as layers or parts of one file."""

from __future__ import annotations

import tempfile
from collections.abc import Sequence
from pathlib import Path
from typing import Any, ClassVar

import numpy as np
import OpenEXR
from numpy.typing import NDArray

from ruvelt.core.errors import StorageError
from ruvelt.core.output.writer import LETTERS, PLAIN, About, MapWriter

#: The largest finite half.
MOST_HALF = 65504.0


class Exr(MapWriter):
    """OpenEXR, half (16 bits) or float (32 bits), zip compression; colours in linear light unless a map says otherwise."""

    id: ClassVar[str] = "exr"
    label: ClassVar[str] = "OpenEXR"
    suffix: ClassVar[str] = ".exr"
    bits: ClassVar[tuple[int, ...]] = (16, 32)
    floats: ClassVar[tuple[int, ...]] = (16, 32)
    rank: ClassVar[int] = 2

    def encode(self, pixels: NDArray[Any], bits: int, about: About = PLAIN) -> bytes:
        return _file([OpenEXR.Part(_header(about), _channels("", pixels, bits), "")])

    def encode_layers(self, maps: Sequence[tuple[str, NDArray[Any], int, About]], parts: bool) -> bytes:
        """One file of several pictures of one size, given as (name, pixels, bits, about): channels called name.R, or parts of that name."""
        if parts:
            return _file([OpenEXR.Part(_header(about), _channels("", pixels, bits), name) for name, pixels, bits, about in maps])
        channels: dict[str, Any] = {}
        for name, pixels, bits, _ in maps:
            channels |= _channels(name, pixels, bits)
        return _file([OpenEXR.Part(_header(PLAIN), channels, "")])


def _header(about: About) -> dict[str, Any]:
    header = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    return {**header, "colorSpace": "sRGB"} if about.space == "srgb" else header


def _channels(name: str, pixels: NDArray[Any], bits: int) -> dict[str, Any]:
    """Planes by the names of their channels; a grey picture of a layer is called as the layer."""
    values = np.clip(pixels, -MOST_HALF, MOST_HALF).astype(np.float16) if bits == 16 else pixels.astype(np.float32)
    if values.ndim == 2:
        return {name or "Y": OpenEXR.Channel(np.ascontiguousarray(values))}
    letters = LETTERS[values.shape[2]]
    return {f"{name}.{letter}" if name else letter: OpenEXR.Channel(np.ascontiguousarray(values[..., k])) for k, letter in enumerate(letters)}


def _file(parts: list[Any]) -> bytes:
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "map.exr"
        try:
            OpenEXR.File(parts).write(str(path))
        except (RuntimeError, ValueError) as error:
            raise StorageError(f"An EXR could not be written ({error}). Free some space, or choose a smaller size.") from None
        return path.read_bytes()
