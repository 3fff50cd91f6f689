"""The model's vertex colours as a fill's content."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.measures import Measures


class VertexContent(FillContent):
    """The model's vertex colours, even between vertices; in a channel of one number their lightness."""

    kind: Literal["vertex-colours"] = "vertex-colours"
    label: ClassVar[str] = "Vertex colours"
    hint: ClassVar[str] = "Vertex colours that came with the model"
    hidden: ClassVar[bool] = True

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        return measures.vertex_colours(channel, chunk)
