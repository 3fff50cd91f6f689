"""Where what lies beneath has a colour."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Colour, Share
from ruvelt.core.stack.kinds.controls import Control, Group, share
from ruvelt.core.stack.kinds.step import Reads, Source


class ColourRangeSource(Source):
    """Where what lies beneath the layer has one of `colours`; tolerance and softness are distances in OKLab."""

    kind: Literal["colour_range"] = "colour_range"
    label: ClassVar[str] = "Colour range"
    hint: ClassVar[str] = "Where what lies beneath has a colour"
    group: ClassVar[Group] = "other"
    waits: ClassVar[str] = "Pick a colour on the model."
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="colours", name="Colours", hint="Colours that count", kind="colours"),
        share("tolerance", "Tolerance", "How different a colour may be", 0, 0.5),
        share("softness", "Softness", "How far it fades out", 0, 0.5),
    )
    kept: ClassVar[bool] = True
    reads_beneath: ClassVar[bool] = True
    channel: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")] = "base_color"
    colours: Annotated[tuple[Colour, ...], Field(max_length=8)] = ()
    tolerance: Share = 0.08
    softness: Share = 0.08

    @property
    def crosses(self) -> bool:
        return False

    def speaks(self, reads: Reads) -> bool:
        return bool(self.colours) and reads.host.channel(self.channel) is not None

    def version(self, reads: Reads, layer_id: str, chunk: int) -> Hashable:
        return reads.host.beneath_version(layer_id, self.channel, chunk)

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.host.measures.near(reads.host.beneath(layer_id, self.channel, chunk), self.colours, self.tolerance, self.softness)
