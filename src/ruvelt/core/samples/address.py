"""How samples are numbered, each conversion once: for NumPy arrays, and in kernels.

A **slot** numbers a sample of a sheet or of vertices. A **chunk** is 65,536 slots in a row, the unit of storage, caching and undo; a slot's
**local** number counts inside its chunk. On a sheet a chunk is a square of 256 × 256 texels, row by row; chunks run left to right, top to bottom.
A **block** is 16 × 16 texels of a chunk (256 vertices in a row), the unit in which a stroke marks what it touched; a chunk has 256 of them.

Parameters here are int arrays or numbers of any one kind. `is_sheet` : texels, not vertices; `across` : chunks along a side of the sheet
"""

# mypy: disable-error-code="no-any-return"
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.kernels import shared

N = TypeVar("N", int, np.integer[Any], NDArray[Any])
CHUNK_SIDE = 256
CHUNK = CHUNK_SIDE * CHUNK_SIDE
BLOCK_SIDE = 16
BLOCK = BLOCK_SIDE * BLOCK_SIDE
BLOCKS = CHUNK // BLOCK


@shared
def chunk_of(slot: N) -> N:
    return slot >> 16


@shared
def local_of(slot: N) -> N:
    return slot & 65535


@shared
def slot_at(x: N, y: N, across: int) -> N:
    """The slot of a texel."""
    return ((y >> 8) * across + (x >> 8)) * 65536 + ((y & 255) << 8) + (x & 255)


@shared
def column_of(slot: N, across: int) -> N:
    """The texel's place from the left of its sheet."""
    return ((slot >> 16) % across) * 256 + (slot & 255)


@shared
def row_of(slot: N, across: int) -> N:
    """The texel's place from the top of its sheet."""
    return ((slot >> 16) // across) * 256 + ((slot & 65535) >> 8)


@shared
def block_of(slot: N, is_sheet: bool) -> N:
    """The block, inside its chunk, of a slot or local number."""
    return (((slot & 65535) >> 12) << 4) | ((slot & 255) >> 4) if is_sheet else (slot & 65535) >> 8


@shared
def block_start(block: N, is_sheet: bool) -> N:
    """The local number of a block's first sample."""
    return ((block >> 4) << 12) + ((block & 15) << 4) if is_sheet else block << 8


@shared
def in_block(n: N, is_sheet: bool) -> N:
    """How far the n-th sample of a block lies from its first, in local numbers."""
    return ((n >> 4) << 8) + (n & 15) if is_sheet else n


@shared
def first_slot(number: N, is_sheet: bool) -> N:
    """The first slot of a block numbered through all chunks: chunk · 256 + block."""
    return (number >> 8) * 65536 + block_start(number & 255, is_sheet)


@shared
def packed_at(slot: N, is_sheet: bool) -> N:
    """Where a slot comes when samples of a block follow each other: its block's number times 256, and its place in the block."""
    local = slot & 65535
    inside = (((local >> 8) & 15) << 4) + (local & 15) if is_sheet else local & 255
    return (slot - local) + (block_of(slot, is_sheet) << 8) + inside
