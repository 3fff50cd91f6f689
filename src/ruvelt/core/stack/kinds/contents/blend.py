"""Two values, mixed by noise."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.fields import ColourStop, Noise
from ruvelt.core.stack.kinds.controls import Control
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.measures import Measures


class BlendContent(FillContent):
    """Two values, mixed by noise."""

    kind: Literal["blend"] = "blend"
    label: ClassVar[str] = "Two values"
    hint: ClassVar[str] = "Two values, mixed by noise"
    rank: ClassVar[int] = 3
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="values", name="Values", hint="The two values", kind="ramp"),
        Control(id="noise", name="Noise", hint="Where which one is", kind="pattern"),
    )
    first: Annotated[tuple[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)], ...], Field(min_length=1, max_length=3)]
    second: Annotated[tuple[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)], ...], Field(min_length=1, max_length=3)]
    noise: Noise = Noise()

    def constants(self) -> Iterator[tuple[float, ...]]:
        return iter((self.first, self.second))

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        ramp = (ColourStop(at=0, value=self.first), ColourStop(at=1, value=self.second))
        return measures.ramped(measures.noise(self.noise, chunk), ramp, channel)
