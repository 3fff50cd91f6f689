"""Lays what lies elsewhere on the surface."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

import numpy as np

from ruvelt.core.brush._clone_kernels import clone_blocks, clone_vertices, fetch_blocks, fetch_values
from ruvelt.core.brush.hand_tool import HandTool
from ruvelt.core.brush.parts import Part, map_blocks
from ruvelt.core.samples.address import BLOCKS, chunk_of
from ruvelt.core.samples.sheet import SheetSamples

if TYPE_CHECKING:
    from ruvelt.core.brush.reading import Reader
    from ruvelt.core.brush.target import Cell


class Clone(HandTool):
    """Lays what lies elsewhere on the surface."""

    id: ClassVar[str] = "clone"
    label: ClassVar[str] = "Clone"
    hint: ClassVar[str] = "Paint what lies elsewhere; Alt and press sets the source"
    verb: ClassVar[str] = "Cloning into"
    key: ClassVar[str] = "c"
    icon: ClassVar[str] = "clone"
    rank: ClassVar[int] = 6

    def make(self, reader: Reader, cell: Cell, parts: list[Part]) -> None:
        map_blocks(reader.workers, lambda part: _fetch(reader, part), parts)


def _fetch(reader: Reader, part: Part) -> None:
    samples, cell, out, place = reader.samples, part.cell, part.out, reader.source
    marks = np.zeros(samples.chunk_count, np.uint8)
    if isinstance(samples, SheetSamples):
        found = np.empty((len(part.blocks), BLOCKS), np.int32)
        clone_blocks(part.blocks, part.chunk, samples.side, samples.positions, samples.face, *place, found, marks)
        fetch_blocks(part.blocks, found, part.chunk, reader.pictures(cell, np.flatnonzero(marks)), len(out), out)
        return
    slots = reader.slots(part)
    sources = np.empty(len(slots), np.int32)
    clone_vertices(slots, samples.positions, *place, sources)
    marks[chunk_of(sources)] = 1
    fetch_values(slots, sources, reader.pictures(cell, np.flatnonzero(marks)), len(out), out)
