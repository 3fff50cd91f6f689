"""sRGB transfer function (IEC 61966-2-1) on arrays, and the lookup tables kernels use."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike, NDArray


def srgb_to_linear_float(values: ArrayLike) -> NDArray[np.float64]:
    """Decode sRGB-encoded 0–1 to linear 0–1, any shape."""
    v = np.asarray(values, np.float64)
    return np.where(v <= 0.04045, v / 12.92, ((np.maximum(v, 0) + 0.055) / 1.055) ** 2.4)


def linear_to_srgb_float(values: ArrayLike) -> NDArray[np.float64]:
    """Encode linear 0–1 to sRGB 0–1, any shape."""
    v = np.asarray(values, np.float64)
    return np.where(v <= 0.0031308, v * 12.92, 1.055 * np.maximum(v, 0) ** (1 / 2.4) - 0.055)


#: (65536,) float32: 16-bit sRGB code to linear 0–1.
DECODE_U16 = srgb_to_linear_float(np.arange(65536) / 65535.0).astype(np.float32)
#: (65536,) uint16: the sRGB code of (i / 65535)², for values whose roots are at hand: as fine as codes are from the darkest on.
ENCODE_ROOTS = np.rint(linear_to_srgb_float((np.arange(65536) / 65535.0) ** 2) * 65535).astype(np.uint16)
#: (65536,) uint16: sRGB codes to linear ones and back, for means over many samples; in the darkest tones right to a twentieth of an 8-bit step.
LINEAR_CODES = np.rint(srgb_to_linear_float(np.arange(65536) / 65535.0) * 65535).astype(np.uint16)
ENCODED_CODES = np.rint(linear_to_srgb_float(np.arange(65536) / 65535.0) * 65535).astype(np.uint16)


@dataclass(frozen=True, eq=False)
class CodeMixing:
    """How kernels mix codes: as they are, without tables, or as light, by those of decoding and of encoding from roots."""

    decode: NDArray[np.float32]
    encode: NDArray[np.uint16]

    @property
    def tables(self) -> tuple[NDArray[np.float32], NDArray[np.uint16]]:
        return self.decode, self.encode


AS_CODES = CodeMixing(np.zeros(0, np.float32), np.zeros(0, np.uint16))
AS_LIGHT = CodeMixing(DECODE_U16, ENCODE_ROOTS)
