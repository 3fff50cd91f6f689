"""Colours along a ramp, by how light things are."""

from __future__ import annotations

from itertools import pairwise
from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field, field_validator

from ruvelt.core.stack.basics import Colour, Frozen, Share
from ruvelt.core.stack.colour_stage import RAMP, Stage
from ruvelt.core.stack.kinds.adjustment import ColourAdjust
from ruvelt.core.stack.kinds.controls import Control


class RampStop(Frozen):
    """A colour at a place 0 (black) … 1 (white)."""

    at: Share
    colour: Colour


class RampAdjust(ColourAdjust):
    """The colour at the place of the encoded luminance (Rec. 709, of linear light) on a ramp; straight between stops, on encoded values."""

    kind: Literal["ramp"] = "ramp"
    label: ClassVar[str] = "Ramp by luminance"
    hint: ClassVar[str] = "From dark to light through colours of your own"
    rank: ClassVar[int] = 10
    controls: ClassVar[tuple[Control, ...]] = (Control(id="stops", name="Ramp", hint="Colours from dark to light", kind="stops"),)
    stops: Annotated[tuple[RampStop, ...], Field(min_length=2, max_length=16)] = (
        RampStop(at=0, colour=(0.05, 0.06, 0.12)),
        RampStop(at=0.5, colour=(0.55, 0.36, 0.22)),
        RampStop(at=1, colour=(1, 0.95, 0.82)),
    )

    @field_validator("stops")
    @classmethod
    def _in_order(cls, stops: tuple[RampStop, ...]) -> tuple[RampStop, ...]:
        if any(b.at < a.at for a, b in pairwise(stops)):
            raise ValueError("the ramp's stops must go from dark to light")
        return stops

    def stage(self) -> Stage:
        places, x = [s.at for s in self.stops], np.arange(65536) / 65535
        return Stage(RAMP, tables=tuple(np.interp(x, places, [s.colour[k] for s in self.stops]).astype(np.float32) for k in range(3)))
