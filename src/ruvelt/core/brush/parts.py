"""Blocks that a reading stroke came to, as pieces of work that threads share."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.brush.target import Cell
from ruvelt.core.planes.plane import U16
from ruvelt.core.workers import Workers

#: Blocks that are worth a thread: waking one costs a tenth of a millisecond, and cores may share what they compute with.
SHARE = 100


@dataclass(frozen=True, eq=False)
class Part:
    """Some blocks, (n,) int32, of a chunk of a cell, and the (components, 65536) uint16 values to be filled in there."""

    cell: Cell
    chunk: int
    blocks: NDArray[np.int32]
    out: U16


def map_blocks(workers: Workers, run: Callable[[Part], None], parts: list[Part]) -> None:
    """Run over all parts, cut so that threads share what is worth it. A part's blocks may be done in any order."""
    total = sum(len(p.blocks) for p in parts)
    if workers.threads == 1 or total < 2 * SHARE:
        for part in parts:
            run(part)
        return
    share = max(-(-total // (2 * workers.threads)), SHARE)
    pieces = [replace(p, blocks=blocks) for p in parts for blocks in np.array_split(p.blocks, max(round(len(p.blocks) / share), 1))]
    workers.map(run, pieces)
