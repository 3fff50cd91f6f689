"""Faces that are picked."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.kinds.controls import Control, Group
from ruvelt.core.stack.kinds.step import Reads, Source


class FacesSource(Source):
    """Reveals picked faces."""

    kind: Literal["faces"] = "faces"
    label: ClassVar[str] = "Faces"
    hint: ClassVar[str] = "Parts, materials, face groups, islands or faces you point at"
    group: ClassVar[Group] = "hand"
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = (Control(id="picks", name="Picks", hint="What is revealed", kind="picks"),)
    picks: tuple[FacePick, ...] = ()

    def version(self, reads: Reads, layer_id: str, chunk: int) -> Hashable:
        return reads.faces.version

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.picked(self.picks, chunk)
