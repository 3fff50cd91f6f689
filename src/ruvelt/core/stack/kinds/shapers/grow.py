"""Growth along the surface."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.spread import surface_grow
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.kinds.controls import Control, Group, signed
from ruvelt.core.stack.kinds.step import SpreadingShaper
from ruvelt.core.workers import Workers


class GrowShaper(SpreadingShaper):
    """Grows what is bright along the surface by a share of the diagonal, or shrinks it below 0."""

    kind: Literal["grow"] = "grow"
    label: ClassVar[str] = "Grow"
    hint: ClassVar[str] = "Bright places reach further, or less far"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 6
    controls: ClassVar[tuple[Control, ...]] = (signed("amount", "Amount", "Above 0 grows, below 0 shrinks", -0.02, 0.02),)
    amount: Annotated[float, Field(ge=-0.02, le=0.02, allow_inf_nan=False)] = 0.002

    @property
    def reach(self) -> float:
        return abs(self.amount)

    def spread(self, samples: SurfaceSamples, values_u16: U16, workers: Workers) -> U16:
        return surface_grow(samples, values_u16, self.amount * samples.model.diagonal, workers)
