"""UVs beyond the square of a sheet, brought back by whole squares: a repeating layout shows the same paint in each of them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.topology import islands
from ruvelt.core.tolerances import UV_SLACK


def whole_squares(model: Model, faces: NDArray[np.int32]) -> NDArray[np.int32] | None:
    """(k, 2) int32 squares to move each of `faces` by, the same for a whole island; None where all lie in the first square.

    An island that fits between two lines of the grid goes home whole; one that lies across a line stays together around its middle.
    """
    layout = model.uv_layouts[0]
    starts = model.face_starts.astype(np.intp)
    uv = np.where((layout.corner_uv >= 0)[:, None], layout.uvs[np.maximum(layout.corner_uv, 0)], np.nan).astype(np.float64)
    low = np.fmin.reduceat(uv, starts[:-1], axis=0)[faces]
    high = np.fmax.reduceat(uv, starts[:-1], axis=0)[faces]
    with np.errstate(invalid="ignore"):
        if not ((low < -UV_SLACK) | (high > 1 + UV_SLACK)).any():
            return None
    labels = islands(model, layout)[faces]
    there = np.flatnonzero((labels >= 0) & np.isfinite(low).all(axis=1))
    label, mine = np.unique(labels[there], return_inverse=True)
    first, last = np.full((len(label), 2), np.inf), np.full((len(label), 2), -np.inf)
    np.minimum.at(first, mine, low[there])
    np.maximum.at(last, mine, high[there])
    home = np.floor(first + UV_SLACK)
    across = last > home + 1 + UV_SLACK
    squares = np.where(across, np.floor((first + last) / 2), home)
    out = np.zeros((len(faces), 2), np.int32)
    out[there] = squares[mine].astype(np.int32)
    return out
