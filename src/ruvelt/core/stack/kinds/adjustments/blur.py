"""Blur of what lies beneath."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.samples.surface import SurfaceSamples
from ruvelt.core.stack.basics import Length
from ruvelt.core.stack.kinds.adjustment import SpreadingAdjust
from ruvelt.core.stack.kinds.controls import BLUR_RADIUS, Control
from ruvelt.core.workers import Workers


class BlurAdjust(SpreadingAdjust):
    """Blurs along the surface, across seams; `radius` is the standard deviation, a share of the diagonal."""

    kind: Literal["blur"] = "blur"
    label: ClassVar[str] = "Blur"
    hint: ClassVar[str] = "Softens what lies beneath, along the surface"
    rank: ClassVar[int] = 16
    controls: ClassVar[tuple[Control, ...]] = (BLUR_RADIUS,)
    radius: Annotated[Length, Field(le=0.1)] = 0.005

    def spread(self, samples: SurfaceSamples, values_u16: U16, workers: Workers) -> U16:
        return surface_blur(samples, values_u16, self.radius * samples.model.diagonal, workers)
