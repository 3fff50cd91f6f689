"""Chromatic adaptation: colours as they look under another white."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float

#: Linear sRGB to XYZ (IEC 61966-2-1, D65), and the Bradford cones (ICC.1:2022, annex E).
TO_XYZ = np.array([[0.4124, 0.3576, 0.1805], [0.2126, 0.7152, 0.0722], [0.0193, 0.1192, 0.9505]])
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])
#: No cone of a picked white counts as less, or what is nearly one primary would give endless gains.
LEAST = 1e-3


def adaptation_matrix(neutral: ArrayLike) -> NDArray[np.float64]:
    """(3, 3) on linear sRGB that makes an sRGB-encoded colour grey of its own luminance."""
    xyz = TO_XYZ @ srgb_to_linear_float(neutral)
    grey = TO_XYZ @ np.full(3, xyz[1])
    gains = np.maximum(BRADFORD @ grey, LEAST) / np.maximum(BRADFORD @ xyz, LEAST)
    found: NDArray[np.float64] = np.linalg.inv(BRADFORD @ TO_XYZ) @ np.diag(gains) @ BRADFORD @ TO_XYZ
    return found
