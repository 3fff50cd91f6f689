"""Thick places, from the baked thickness."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.kinds.controls import SOFT, Control, Group, value_range
from ruvelt.core.stack.kinds.step import Ramped, Reads, Signed


class ThicknessSource(Ramped):
    """Thick places, from the baked thickness."""

    kind: Literal["thickness"] = "thickness"
    label: ClassVar[str] = "Thickness"
    hint: ClassVar[str] = "Thick places; invert it for thin ones"
    group: ClassVar[Group] = "surface"
    rank: ClassVar[int] = 2
    controls: ClassVar[tuple[Control, ...]] = (value_range("How thick a place must be"), SOFT)
    needs: ClassVar[str | None] = "thickness"
    low: Signed = 0.2
    high: Signed = 0.8

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.host.measures.ramp(reads.host.composite("map:thickness", chunk)[0], 0, self.low, self.high, self.softness)
