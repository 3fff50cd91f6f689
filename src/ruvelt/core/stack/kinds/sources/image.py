"""How bright a picture is."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.fields import Picture
from ruvelt.core.stack.kinds.controls import IMAGE, PROJECTION, Control, Group, choice
from ruvelt.core.stack.kinds.step import Reads, Source
from ruvelt.core.stack.laid import lightness


class ImageSource(Source, Picture):
    """The lightness of a picture, or its alpha."""

    kind: Literal["image"] = "image"
    label: ClassVar[str] = "Picture"
    hint: ClassVar[str] = "How bright a picture is"
    group: ClassVar[Group] = "pattern"
    waits: ClassVar[str] = "Choose a picture."
    rank: ClassVar[int] = 2
    controls: ClassVar[tuple[Control, ...]] = (IMAGE, choice("reads", "Reads", "Its lightness or its alpha", "lightness", "alpha"), PROJECTION)
    kept: ClassVar[bool] = True
    reads: Literal["lightness", "alpha"] = "lightness"

    @property
    def crosses(self) -> bool:
        return self.projection.mode != "uv"

    def speaks(self, reads: Reads) -> bool:
        return reads.host.measures.has_picture(self)

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        picture = reads.host.measures.picture(self, chunk)
        assert picture is not None
        alpha: U16 = picture[3]
        return alpha if self.reads == "alpha" else lightness(picture)
