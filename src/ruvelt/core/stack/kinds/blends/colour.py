"""Hue and saturation of what is laid; luminosity stays."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Colour(BlendMode):
    """Hue and saturation of what is laid; luminosity stays."""

    id: ClassVar[str] = "color"
    label: ClassVar[str] = "Colour"
    rank: ClassVar[int] = 15
    kinds: ClassVar[tuple[str, ...]] = ("colour",)
    code: ClassVar[int] = 15
