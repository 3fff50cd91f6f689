"""Where little light comes."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.kinds.controls import SOFT, Control, Group, value_range
from ruvelt.core.stack.kinds.step import Ramped, Reads, Signed


class OcclusionSource(Ramped):
    """Where little light comes: 0 in the open, 1 fully hidden, from the baked occlusion."""

    kind: Literal["occlusion"] = "occlusion"
    label: ClassVar[str] = "Occlusion"
    hint: ClassVar[str] = "Where little light comes"
    group: ClassVar[Group] = "surface"
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = (value_range("How hidden a place must be"), SOFT)
    needs: ClassVar[str | None] = "occlusion"
    low: Signed = 0.15
    high: Signed = 0.65

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.host.measures.ramp(reads.host.composite("map:occlusion", chunk)[0], 1, self.low, self.high, self.softness)
