"""Blocks of a chunk: 16 × 16 texels, or 256 vertices in a row."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.samples._block_kernels import block_runs, block_slots
from ruvelt.core.samples.address import BLOCK_SIDE, BLOCKS, CHUNK_SIDE

#: (starts, counts) of neighbouring samples of a chunk, (n,) int32 each.
Runs = tuple[NDArray[np.int32], NDArray[np.int32]]


def runs_of(blocks: NDArray[np.uint8], is_sheet: bool) -> Runs:
    """Marked blocks of a chunk as (starts, counts) of neighbouring samples."""
    starts, counts = np.empty(16 * 256, np.int32), np.empty(16 * 256, np.int32)
    n = int(block_runs(blocks, is_sheet, starts, counts))
    return starts[:n].copy(), counts[:n].copy()


def blocks_of(marks: NDArray[np.bool_], is_sheet: bool) -> NDArray[np.uint8]:
    """(256,) blocks of a chunk that hold any marked sample."""
    if is_sheet:
        n = CHUNK_SIDE // BLOCK_SIDE
        return np.asarray(marks.reshape(n, BLOCK_SIDE, n, BLOCK_SIDE).any(axis=(1, 3)), np.uint8).reshape(-1)
    return np.asarray(marks.reshape(BLOCKS, -1).any(axis=1), np.uint8)


def box_of(blocks: NDArray[np.uint8], is_sheet: bool) -> tuple[int, int, int, int]:
    """Left, top, right and bottom (exclusive) of the marked blocks of a chunk drawn as 256 × 256 pixels, row by row; one at least is marked."""
    if not is_sheet:
        # A block of vertices is a row.
        rows = np.flatnonzero(blocks)
        return 0, int(rows[0]), CHUNK_SIDE, int(rows[-1]) + 1
    rows, columns = np.nonzero(blocks.reshape(CHUNK_SIDE // BLOCK_SIDE, -1))
    box = BLOCK_SIDE * np.array([columns.min(), rows.min(), columns.max() + 1, rows.max() + 1])
    return int(box[0]), int(box[1]), int(box[2]), int(box[3])


def slots_of(blocks: NDArray[np.int32], face: NDArray[np.int32], is_sheet: bool, chunk: int) -> NDArray[np.int32]:
    """Covered samples of blocks (n,) of a chunk."""
    slots = np.empty(BLOCKS * len(blocks), np.int32)
    return slots[: int(block_slots(blocks, face, is_sheet, chunk, slots))]
