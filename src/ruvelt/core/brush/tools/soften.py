"""Lays the mean of what lies around, along the surface."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

from ruvelt.core.brush.hand_tool import HandTool
from ruvelt.core.brush.parts import Part
from ruvelt.core.brush.softening import Softener

if TYPE_CHECKING:
    from ruvelt.core.brush.reading import Reader
    from ruvelt.core.brush.target import Cell


class Soften(HandTool):
    """Lays the mean of what lies around, along the surface."""

    id: ClassVar[str] = "soften"
    label: ClassVar[str] = "Soften"
    hint: ClassVar[str] = "Smooth what is painted, along the surface and across seams"
    verb: ClassVar[str] = "Softening"
    key: ClassVar[str] = "o"
    icon: ClassVar[str] = "soften"
    rank: ClassVar[int] = 4

    def means(self, reader: Reader) -> bool:
        return True

    def make(self, reader: Reader, cell: Cell, parts: list[Part]) -> None:
        softener = reader.kept.get(cell.plane)
        if softener is None:
            # Never narrower than a few samples, or a small brush would soften nothing.
            radius = max(reader.radius * reader.paint.reach, 2.5 * reader.samples.spacing)
            softener = reader.kept[cell.plane] = Softener(reader.samples, reader.workers, radius, lambda chunks: reader.pictures(cell, chunks))
        softener.make(parts, len(parts[0].out), reader.multiplies(cell))
