"""The saturation of what is laid; hue and luminosity stay."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Saturation(BlendMode):
    """The saturation of what is laid; hue and luminosity stay."""

    id: ClassVar[str] = "saturation"
    label: ClassVar[str] = "Saturation"
    rank: ClassVar[int] = 14
    kinds: ClassVar[tuple[str, ...]] = ("colour",)
    code: ClassVar[int] = 14
