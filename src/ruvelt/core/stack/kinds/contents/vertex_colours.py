"""The model's vertex colours, or other numbers that a file gave its vertices, as a fill's content."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.measures import Measures


class VertexContent(FillContent):
    """The model's vertex colours, even between vertices; in a channel of one number their lightness. `of`: the numbers of that name instead."""

    kind: Literal["vertex-colours"] = "vertex-colours"
    of: Annotated[str, Field(max_length=80)] | None = None
    label: ClassVar[str] = "Vertex colours"
    hint: ClassVar[str] = "Vertex colours that came with the model"
    hidden: ClassVar[bool] = True

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        return measures.vertex_colours(channel, chunk) if self.of is None else measures.vertex_numbers(self.of, channel, chunk)
