"""A factor and an offset."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

import numpy as np
from pydantic import Field

from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.controls import Control, signed
from ruvelt.core.stack.kinds.step import F64, Signed


class GainAdjust(PointAdjust):
    """gain · x + offset, of values of data."""

    kind: Literal["gain"] = "gain"
    label: ClassVar[str] = "Gain"
    hint: ClassVar[str] = "Times a factor, plus an offset: for roughness, metallic and the like"
    rank: ClassVar[int] = 13
    colours: ClassVar[bool] = False
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="gain", name="Gain", hint="Times every value", kind="factor", low=0, high=4),
        signed("offset", "Offset", "Added to every value"),
    )
    gain: Annotated[float, Field(ge=0, le=4, allow_inf_nan=False)] = 1.0
    offset: Signed = 0.0

    def suits(self, channel: Channel) -> bool:
        return channel.kind == "data"

    def shaped(self, x: F64) -> F64:
        return np.asarray(np.clip(self.gain * x + self.offset, 0, 1))
