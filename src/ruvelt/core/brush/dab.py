"""One dab: a row of float32, the same for all that lay them. Constants name its columns; NumPy and kernels read them alike.

Columns, not a structured type: vectors of many dabs are turned, mirrored and swept at once, and lie side by side for that.
Places and lengths are object units, or texels of the flat sheet with y down, where normals are (0, 0, 1).
"""

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import shared

F32 = NDArray[np.float32]

#: Centre, and the radius of the long axis.
X, Y, Z, RADIUS = 0, 1, 2, 3
#: First of three columns each: the unit normal, and the tip's long and short axis across it.
NORMAL, LONG, SHORT = 4, 7, 10
#: Short over long axis; share of the radius at full weight; share laid; most that is laid.
ROUNDNESS, HARDNESS, FLOW, CAP = 13, 14, 15, 16
#: Plain dabs: whether surface turned away takes less. Rich ones: least cosine with the normal, −3 for no limit.
FACING = 17
#: Rich dabs only, from here on. How far in front of and behind its plane a dab reaches, radii, 0 for no limit; number of the tip's picture, −1
#: for a round one; ±1 across the picture's long axis; share of the second colour; hue, saturation and value added.
DEPTH, TIP, FLIP, MIX, HUE, SATURATION, VALUE = 18, 19, 20, 21, 22, 23, 24
#: Three columns: the unit direction across the stroke, 0 where colours do not mix that way.
ASIDE = 25
#: Length of the stroke so far; whether the picture bends with the surface.
TRAVELLED, BENT = 28, 30
#: Which kernel lays it: see below. A batch is of one kind.
KIND = 29
#: Any dab. Three columns: the way that it was swept from the place before, 0 for a dab by itself; then how far the mixing changed on it.
SWEEP, MIX_CHANGE = 31, 34
WIDTH = 35

#: Kinds: plain balls in space, plain discs of the flat sheet, and both with tips, limits or colours of their own.
BALL, DISC, RICH_BALL, RICH_DISC = 0, 1, 2, 3
#: First columns of the vectors that turn with a dab.
VECTORS = (X, NORMAL, LONG, SHORT, ASIDE, SWEEP)


def empty(count: int, kind: int) -> F32:
    """(count, WIDTH) float32: dabs of a kind, all else 0."""
    out = np.zeros((count, WIDTH), np.float32)
    out[:, KIND] = kind
    return out


def kind_of(dabs: F32) -> int:
    """The kind of a batch that is not empty."""
    return int(dabs[0, KIND])


def is_flat(kind: int) -> bool:
    return kind in (DISC, RICH_DISC)


def is_rich(kind: int) -> bool:
    return kind in (RICH_BALL, RICH_DISC)


@shared
def vector(dabs: F32, d: int, column: int) -> tuple[np.float32, np.float32, np.float32]:
    """Three columns of dab d."""
    return dabs[d, column], dabs[d, column + 1], dabs[d, column + 2]
