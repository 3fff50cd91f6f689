"""Large meshes on their way to the viewport."""

from __future__ import annotations

import numpy as np

from ruvelt.bench.timing import Row, best, faster
from ruvelt.core.mesh.rows import equal_rows

#: Corners of a million triangles, each place shared by six of them as on any surface.
CORNERS = 3_000_000


def rows_against_numpy(corners: int = CORNERS) -> Row:
    """Numbering equal corners (8 float32 each), against NumPy's `unique` over the same bytes."""
    places = np.random.default_rng(0).normal(size=(corners // 6, 8)).astype(np.float32)
    rows = places[np.repeat(np.arange(len(places)), 6)]
    words = rows.view(np.dtype((np.void, 32))).ravel()
    theirs = best(lambda: np.unique(words, return_inverse=True), 1)
    return faster("equal corners of a million triangles", best(lambda: equal_rows(rows), 3) * 1e3, theirs * 1e3, "NumPy unique", 4)
