"""What one set of settings does to encoded colours, as kernels know it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

#: As in `_colour_kernels`: nothing; three tables; hue, saturation, value; lightness and two axes of OKLab; light by a matrix; a ramp by luminance.
NOTHING, TABLES, TURN, LAB, LIGHT, RAMP = 0, 1, 2, 3, 4, 5


@dataclass(frozen=True, eq=False)
class Stage:
    """code : one of the above; numbers : at most 16; tables : three of (65536,) float32, new encoded values of red, green and blue

    TURN: turns of the hue and two shares. LAB: L' = n0 + n1 L, a' = n2 + n3 a + n4 b, b' = n5 + n6 a + n7 b, then as much chroma as sRGB holds.
    LIGHT: a matrix (3, 3), row by row, on linear light. RAMP: the tables go by encoded luminance (Rec. 709).
    """

    code: int = NOTHING
    numbers: tuple[float, ...] = ()
    tables: tuple[NDArray[np.float32], ...] = ()
