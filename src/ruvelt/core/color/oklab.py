"""OKLab, where distances between colours are about as far as they look (B. Ottosson, "A perceptual color space", 2020)."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float

_TO_LMS = np.array(
    [
        [0.4122214708, 0.5363325363, 0.0514459929],
        [0.2119034982, 0.6806995451, 0.1073969566],
        [0.0883024619, 0.2817188376, 0.6299787005],
    ]
)
_TO_LAB = np.array(
    [
        [0.2104542553, 0.7936177850, -0.0040720468],
        [1.9779984951, -2.4285922050, 0.4505937099],
        [0.0259040371, 0.7827717662, -0.8086757660],
    ]
)


def oklab(colours: ArrayLike) -> NDArray[np.float64]:
    """(…, 3) lightness 0–1, a and b of (…, 3) sRGB-encoded colours 0–1."""
    found: NDArray[np.float64] = np.cbrt(srgb_to_linear_float(colours) @ _TO_LMS.T) @ _TO_LAB.T
    return found
