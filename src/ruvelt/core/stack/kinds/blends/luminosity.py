"""The luminosity of what is laid; hue and saturation stay."""

from typing import ClassVar

from ruvelt.core.stack.kinds.blend_mode import BlendMode


class Luminosity(BlendMode):
    """The luminosity of what is laid; hue and saturation stay."""

    id: ClassVar[str] = "luminosity"
    label: ClassVar[str] = "Luminosity"
    rank: ClassVar[int] = 16
    kinds: ClassVar[tuple[str, ...]] = ("colour",)
    code: ClassVar[int] = 16
