"""How much of a square an outline covers: exact, not drawn (N5.3)."""

from __future__ import annotations

from typing import Literal

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush._area_kernels import covered_shares, edge_areas

F32 = NDArray[np.float32]
F64 = NDArray[np.float64]
#: What counts as inside where an outline crosses itself: all that it winds around, or every other region.
Rule = Literal["nonzero", "evenodd"]
#: Squares of a raster at most: larger outlines are told more coarsely.
MOST = 6000


def raster_shares(outline: F64, width: int, height: int, rule: Rule = "nonzero") -> F32:
    """(height, width) float32: the share of each unit square that a closed outline, (m, 2), covers."""
    areas = np.zeros((height, width + 2), np.float32)
    edge_areas(np.ascontiguousarray(outline, np.float64), areas)
    shares = np.empty((height, width), np.float32)
    covered_shares(areas, rule == "evenodd", shares)
    return shares


def outline_weights(outline: F64, places: F64, size: float | F64 = 1.0, rule: Rule = "nonzero") -> F32:
    """(n,) float32 share of a square of `size`, one or (n,), around each place, (n, 2), that a closed outline, (m, 2), covers."""
    if not len(places):
        return np.zeros(0, np.float32)
    half = np.broadcast_to(np.asarray(size, np.float64) / 2, len(places))[:, None]
    # Only where both are is told: an outline may reach far beyond the view.
    low = np.floor(np.maximum(outline.min(axis=0), (places - half).min(axis=0)))
    high = np.ceil(np.minimum(outline.max(axis=0), (places + half).max(axis=0)))
    if not (high > low).all():
        return np.zeros(len(places), np.float32)
    # Squares of the raster are told as even ones: finer than those that are asked for.
    scale = min(2.0 if float(half.min()) >= 0.5 else 4.0, float((MOST / (high - low)).min()))
    width, height = (int(v) for v in np.ceil((high - low) * scale))
    sums = np.zeros((height + 1, width + 1))
    np.cumsum(raster_shares((outline - low) * scale, width, height, rule), axis=0, out=sums[1:, 1:], dtype=np.float64)
    np.cumsum(sums[1:, 1:], axis=1, out=sums[1:, 1:])
    corners = [np.clip((places + side * half - low) * scale, 0, (width, height)) for side in (-1, 1)]

    def total(x: F64, y: F64) -> F64:
        """The sum over all that lies left of and above a place, straight between the corners of squares: exact in them."""
        i, j = np.minimum(x.astype(int), width - 1), np.minimum(y.astype(int), height - 1)
        u, v = x - i, y - j
        above = sums[j, i] * (1 - u) + sums[j, i + 1] * u
        return np.asarray(above * (1 - v) + (sums[j + 1, i] * (1 - u) + sums[j + 1, i + 1] * u) * v)

    (x0, y0), (x1, y1) = (c.T for c in corners)
    found = total(x1, y1) - total(x0, y1) - total(x1, y0) + total(x0, y0)
    weights: F32 = np.clip(found / np.square(2 * half[:, 0] * scale), 0, 1).astype(np.float32)
    # What rounding leaves over is nothing.
    weights[weights < 1e-6] = 0
    return weights
