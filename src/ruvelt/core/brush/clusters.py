"""Clusters of neighbouring samples, through which wide means over the surface are taken at a fraction of the cost."""

from __future__ import annotations

from threading import Lock
from weakref import WeakKeyDictionary

import numpy as np

from ruvelt.core.brush._cluster_kernels import gather_clusters
from ruvelt.core.brush.cluster_arrays import Clusters
from ruvelt.core.samples.surface import SurfaceSamples

#: Clusters aimed at inside a radius, however wide: smooth pictures are then right to a hundredth, hard edges to a twentieth.
IN_RADIUS = 100
LARGEST = 64
#: Empty clusters after the last, for loops that take eight at once.
SPARE = 8


_KEPT: WeakKeyDictionary[SurfaceSamples, dict[int, Clusters]] = WeakKeyDictionary()
_LOCK = Lock()


def clusters_of(samples: SurfaceSamples, radius: float) -> Clusters:
    """Clusters for means within `radius` (object units); the last few sizes are kept as long as the samples."""
    inside = np.pi * (radius / samples.spacing) ** 2
    most = int(np.clip(2 ** np.floor(np.log2(max(inside / IN_RADIUS, 1))), 1, LARGEST))
    with _LOCK:
        kept = _KEPT.setdefault(samples, {})
        if most not in kept:
            while len(kept) >= 3:
                del kept[next(iter(kept))]
            kept[most] = _gather(samples, most)
        return kept[most]


def _gather(samples: SurfaceSamples, most: int) -> Clusters:
    grid, pieces = samples.grid, samples.grid_pieces
    n = len(grid.slot)
    slot_piece = np.full(samples.slot_count, -1, np.int32)
    slot_piece[grid.slot] = pieces.piece
    room = Clusters(
        most,
        np.empty(n, np.int32),
        np.empty(len(grid.start), np.int32),
        np.empty(n + 1, np.int32),
        np.zeros((3, n + SPARE), np.float32),
        np.zeros((3, n + SPARE), np.float32),
        np.zeros(n + SPARE, np.float32),
        np.empty(n + SPARE, np.int32),
        slot_piece,
    )
    count = int(gather_clusters(grid, samples.grid_areas, pieces.piece, room))
    kept = count + SPARE
    middle, facing = np.ascontiguousarray(room.middle[:, :kept]), np.ascontiguousarray(room.facing[:, :kept])
    return room._replace(
        first=room.first[: count + 1].copy(), middle=middle, facing=facing, mass=room.mass[:kept].copy(), piece=room.piece[:kept].copy()
    )
