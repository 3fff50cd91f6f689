"""The hue of what is laid; saturation and luminosity stay."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Hue(BlendMode):
    """The hue of what is laid; saturation and luminosity stay."""

    id: ClassVar[str] = "hue"
    label: ClassVar[str] = "Hue"
    rank: ClassVar[int] = 13
    kinds: ClassVar[tuple[str, ...]] = ("colour",)
    code: ClassVar[int] = 13
