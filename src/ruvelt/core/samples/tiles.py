"""Tiles of a chunk: 16 × 16 texels, or 256 vertices in a row."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples._tile_kernels import tile_runs, tile_slots
from ruvelt.core.samples.chunks import CHUNK_SIDE, TILE_SIDE, TILES

#: (starts, counts) of neighbouring samples of a chunk, (n,) int32 each.
Runs = tuple[NDArray[np.int32], NDArray[np.int32]]


def runs_of(tiles: NDArray[np.uint8], square: bool) -> Runs:
    """Marked tiles of a chunk as (starts, counts) of neighbouring samples."""
    starts, counts = np.empty(16 * 256, np.int32), np.empty(16 * 256, np.int32)
    n = int(tile_runs(tiles, square, starts, counts))
    return starts[:n].copy(), counts[:n].copy()


def tiles_of(marks: NDArray[np.bool_], square: bool) -> NDArray[np.uint8]:
    """(256,) tiles of a chunk that hold any marked sample."""
    if square:
        n = CHUNK_SIDE // TILE_SIDE
        return np.asarray(marks.reshape(n, TILE_SIDE, n, TILE_SIDE).any(axis=(1, 3)), np.uint8).reshape(-1)
    return np.asarray(marks.reshape(TILES, -1).any(axis=1), np.uint8)


def slots_of(tiles: NDArray[np.int32], face: NDArray[np.int32], square: bool, chunk: int) -> NDArray[np.int32]:
    """Covered samples of tiles (n,) of a chunk."""
    slots = np.empty(TILES * len(tiles), np.int32)
    return slots[: int(tile_slots(tiles, face, square, chunk, slots))]
