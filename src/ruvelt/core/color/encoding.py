"""sRGB transfer function (IEC 61966-2-1) on arrays, and the lookup tables kernels use."""

from __future__ import annotations

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
