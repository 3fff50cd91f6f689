"""A fill that goes from one value to another along a line laid on the model."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.stack.basics import Frozen, Vector


class Gradient(Frozen):
    """From the first values at `start` to the second at `end` (object space): along the line, or outwards as a ball about `start`."""

    start: Vector
    end: Vector
    form: Literal["line", "ball"] = "line"


def gradient_share(gradient: Gradient, positions: NDArray[np.float32], spacing: float = 0.0) -> NDArray[np.float32]:
    """(n,) float32 0–1: how far along a gradient (n, 3) places lie; 0 everywhere for one without length.

    spacing : of the samples; a shorter gradient is as long as that, about the same middle, so that it ends without stairs
    """
    start, direction = np.asarray(gradient.start, np.float32), np.subtract(gradient.end, gradient.start).astype(np.float32)
    length_sq = float(direction @ direction)
    if length_sq <= 0:
        return np.zeros(len(positions), np.float32)
    offset = positions - start
    length = float(np.sqrt(length_sq))
    share = np.sqrt(np.einsum("nk,nk->n", offset, offset) / length_sq) if gradient.form == "ball" else offset @ direction / length_sq
    if length < spacing:
        share = 0.5 + (share - 0.5) * np.float32(length / spacing)
    return np.clip(share, 0, 1).astype(np.float32)
