"""Places with a baked id colour."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Colour, Share
from ruvelt.core.stack.kinds.controls import Control, Group, share
from ruvelt.core.stack.kinds.step import Reads, Source


class IdColourSource(Source):
    """Reveals where the baked id colour is one of `colours`."""

    kind: Literal["id_colour"] = "id_colour"
    label: ClassVar[str] = "Id colour"
    hint: ClassVar[str] = "Places with an id colour you pick on the model"
    group: ClassVar[Group] = "hand"
    waits: ClassVar[str] = "Pick an id colour on the model."
    rank: ClassVar[int] = 2
    controls: ClassVar[tuple[Control, ...]] = (
        Control(id="colours", name="Colours", hint="Id colours that count", kind="colours"),
        share("tolerance", "Tolerance", "How different a colour may be", 0, 0.3),
    )
    needs: ClassVar[str | None] = "id"
    kept: ClassVar[bool] = True
    colours: Annotated[tuple[Colour, ...], Field(max_length=32)] = ()
    tolerance: Share = 0.02

    def speaks(self, reads: Reads) -> bool:
        return bool(self.colours)

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.host.measures.near(reads.host.composite("map:id", chunk), self.colours, self.tolerance, 0.01)
