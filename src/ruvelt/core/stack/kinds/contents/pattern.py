"""A pattern as a fill's content."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.fields import ColourStop, Noise, Spots, Weave
from ruvelt.core.stack.kinds.controls import Control
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.measures import Measures


class PatternContent(FillContent):
    """A pattern through a ramp of values."""

    kind: Literal["pattern"] = "pattern"
    label: ClassVar[str] = "Pattern"
    hint: ClassVar[str] = "A pattern through a ramp of values"
    rank: ClassVar[int] = 2
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="pattern", name="Pattern", hint="What is drawn", kind="pattern"),
        Control(id="ramp", name="Ramp", hint="From the pattern's dark to its bright", kind="ramp"),
    )
    pattern: Noise | Spots | Weave = Noise()
    ramp: Annotated[tuple[ColourStop, ...], Field(min_length=2, max_length=16)]

    def constants(self) -> Iterator[tuple[float, ...]]:
        return (stop.value for stop in self.ramp)

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        return measures.ramped(measures.pattern(self.pattern, chunk), self.ramp, channel)
