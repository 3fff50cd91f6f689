"""Spots in object space."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.fields import Spots
from ruvelt.core.stack.kinds.controls import SPOTS, Control, Group
from ruvelt.core.stack.kinds.step import Reads, Source


class SpotsSource(Source, Spots):
    """Spots in object space."""

    kind: Literal["spots"] = "spots"
    label: ClassVar[str] = "Spots"
    hint: ClassVar[str] = "Round spots strewn at random"
    group: ClassVar[Group] = "pattern"
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = SPOTS
    kept: ClassVar[bool] = True

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.host.measures.spots(self, chunk)
