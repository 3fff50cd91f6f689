"""Rises along a direction."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Vector
from ruvelt.core.stack.kinds.controls import SOFT, Control, Group, direction, value_range
from ruvelt.core.stack.kinds.step import Ramped, Reads, Signed
from ruvelt.core.stack.measures import unit


class PositionSource(Ramped):
    """Rises along a direction of object space, from one end of the model (0) to the other (1)."""

    kind: Literal["position"] = "position"
    label: ClassVar[str] = "Position"
    hint: ClassVar[str] = "Rises along a direction, over the whole model"
    group: ClassVar[Group] = "surface"
    rank: ClassVar[int] = 3
    controls: ClassVar[tuple[Control, ...]] = (direction("Direction", "Where it rises to"), value_range("Where it begins and ends"), SOFT)
    along: Vector = (0.0, 1.0, 0.0)
    low: Signed = 0.25
    high: Signed = 0.75

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        measures, along = reads.host.measures, unit(self.along)
        ends = reads.host.samples.model.positions @ along
        low, extent = float(ends.min()), max(float(np.ptp(ends)), 1e-9)
        return measures.along(measures.positions(chunk), along, low, 1 / extent, (self.low, self.high, self.softness), chunk)
