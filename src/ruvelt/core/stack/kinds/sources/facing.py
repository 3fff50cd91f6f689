"""Surfaces that look along a direction."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Vector
from ruvelt.core.stack.kinds.controls import SOFT, Control, Group, direction, value_range
from ruvelt.core.stack.kinds.step import Ramped, Reads, Signed
from ruvelt.core.stack.measures import unit


class FacingSource(Ramped):
    """Surfaces that look along a direction of object space: the measure is the cosine between it and the normal."""

    kind: Literal["facing"] = "facing"
    label: ClassVar[str] = "Facing"
    hint: ClassVar[str] = "Surfaces that look along a direction, or to the light"
    group: ClassVar[Group] = "surface"
    rank: ClassVar[int] = 5
    controls: ClassVar[tuple[Control, ...]] = (direction("Direction", "Where they look"), value_range("How straight they must look there", -1), SOFT)
    along: Vector = (0.0, 1.0, 0.0)
    low: Signed = 0.2
    high: Signed = 0.9

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        measures = reads.host.measures
        return measures.along(measures.normals(chunk), unit(self.along), 0.0, 1.0, (self.low, self.high, self.softness), chunk)
