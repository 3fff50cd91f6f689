"""A picture as a fill's content."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Id
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.fields import Picture
from ruvelt.core.stack.kinds.controls import IMAGE, PROJECTION, Control
from ruvelt.core.stack.kinds.fill_content import FillContent
from ruvelt.core.stack.laid import lightness
from ruvelt.core.stack.measures import Measures


class ImageContent(FillContent, Picture):
    """A picture as a fill's content; its lightness where the channel holds one number."""

    kind: Literal["image"] = "image"
    label: ClassVar[str] = "Picture"
    hint: ClassVar[str] = "A picture on the surface"
    rank: ClassVar[int] = 1
    controls: ClassVar[tuple[Control, ...]] = (IMAGE, PROJECTION)

    @property
    def picture_key(self) -> Id | None:
        return self.image

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        picture = measures.picture(self, chunk)
        return picture if picture is None or channel.components == 3 else np.stack([lightness(picture), picture[3]])
