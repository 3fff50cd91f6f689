"""A picture laid as the imported file lays it."""

from __future__ import annotations

from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Id
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.measures import Measures

Factor = Annotated[float, Field(ge=-4, le=4, allow_inf_nan=False)]
Bend = Annotated[float, Field(ge=-1e5, le=1e5, allow_inf_nan=False)]
Wrap = Literal["repeat", "mirror", "clamp"]


class FileContent(FillContent):
    """A picture laid as the imported file lays it.

    part : of the picture; uv_set : the file's number of the UV set; transform : u' = a u + b v + c, v' = d u + e v + f, v down
    material : number of the only material that it lies on; low, high : what 0 and 1 of the picture stand for, colours in linear light
    """

    kind: Literal["file"] = "file"
    label: ClassVar[str] = "Picture of the file"
    hint: ClassVar[str] = "A picture that came with the model"
    hidden: ClassVar[bool] = True
    image: Id
    part: Literal["rgb", "r", "g", "b", "a"] = "rgb"
    uv_set: Annotated[int, Field(ge=0, le=999)] = 0
    transform: tuple[Bend, Bend, Bend, Bend, Bend, Bend] = (1.0, 0.0, 0.0, 0.0, 1.0, 0.0)
    wrap: tuple[Wrap, Wrap] = ("repeat", "repeat")
    nearest: bool = False
    material: Annotated[int, Field(ge=0, le=2**31 - 1)] | None = None
    low: Annotated[tuple[Factor, ...], Field(min_length=1, max_length=3)] = (0.0,)
    high: Annotated[tuple[Factor, ...], Field(min_length=1, max_length=3)] = (1.0,)

    @property
    def picture_key(self) -> Id | None:
        return self.image

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        return measures.from_file(self, channel, chunk)
