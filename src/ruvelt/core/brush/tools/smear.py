"""Carries paint along, or moves what is there."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

import numpy as np

from ruvelt.core.brush.hand_tool import HandTool
from ruvelt.core.brush.parts import Part, map_blocks

if TYPE_CHECKING:
    from ruvelt.core.brush.reading import Reader
    from ruvelt.core.brush.target import Cell, Paint


class Smear(HandTool):
    """Carries paint along, or moves what is there."""

    id: ClassVar[str] = "smear"
    label: ClassVar[str] = "Smear"
    hint: ClassVar[str] = "Drag paint along, as a finger does wet paint"
    verb: ClassVar[str] = "Smearing"
    key: ClassVar[str] = "m"
    icon: ClassVar[str] = "smear"
    rank: ClassVar[int] = 5

    def follows(self, paint: Paint) -> bool:
        return True

    def means(self, reader: Reader) -> bool:
        return reader.smear is not None or (reader.push is not None and reader.push.between)

    def make(self, reader: Reader, cell: Cell, parts: list[Part]) -> None:
        smear, push, multiplied, coverage = reader.smear, reader.push, reader.multiplies(cell), reader.coverage
        if smear is not None:
            at = reader.place_of(cell)
            map_blocks(reader.workers, lambda part: smear.values_u16(at, part.chunk, part.blocks, multiplied, coverage, part.out), parts)
            return
        assert push is not None
        pictures = reader.pictures(cell, np.array([part.chunk for part in parts]))

        def fill(part: Part) -> None:
            while len(missing := push.values_u16(part.chunk, part.blocks, pictures, multiplied, part.out)):
                reader.pictures(cell, missing)

        map_blocks(reader.workers, fill, parts)
