"""Blur along the surface."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.basics import Length
from ruvelt.core.stack.kinds.controls import BLUR_RADIUS, Control, Group
from ruvelt.core.stack.kinds.step import SpreadingShaper
from ruvelt.core.workers import Workers


class BlurShaper(SpreadingShaper):
    """Blurs along the surface, across seams; `radius` is the blur's standard deviation, a share of the diagonal."""

    kind: Literal["blur"] = "blur"
    label: ClassVar[str] = "Blur"
    hint: ClassVar[str] = "Softens along the surface, across seams"
    group: ClassVar[Group] = "shaper"
    rank: ClassVar[int] = 3
    controls: ClassVar[tuple[Control, ...]] = (BLUR_RADIUS,)
    radius: Annotated[Length, Field(le=0.1)] = 0.005

    @property
    def reach(self) -> float:
        # Three standard deviations hold all that shows.
        return 3 * self.radius

    def spread(self, samples: SurfaceSamples, values_u16: U16, workers: Workers) -> U16:
        found: U16 = surface_blur(samples, values_u16[None], self.radius * samples.model.diagonal, workers)[0]
        return found
