"""The curve a hand drew, from the samples that a device gave of it."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._curve_kernels import MOST_PIECES, STATE, join_samples


class Curve:
    """Pointer samples joined by a smooth curve that goes through them, one sample behind.

    Corners that a slow hand turned stay corners; a straight line stays straight; how samples come in batches makes no difference.
    """

    def __init__(self, unit: float) -> None:
        """`unit` : of a pixel of the view on the path (pixels, texels or object units)."""
        self._unit, self._state = unit, np.zeros(STATE)
        self._room = np.empty((0, 4))

    def extend(self, samples: NDArray[np.float64], last: bool = False) -> NDArray[np.float64]:
        """(n, 4) place and pressure of points that (m, 5) samples complete: place, pressure 0–1 and time in seconds (0: not known).

        The chords between points keep within a twentieth of a pixel of the curve. `last` : no more samples come
        """
        room = MOST_PIECES * (len(samples) + 1) + 1
        if len(self._room) < room:
            self._room = np.empty((room, 4))
        return self._room[: join_samples(samples, self._unit, last, self._state, self._room)].copy()
