"""One dab, dragged to its size."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.brush.hand_tool import HandTool


class Stamp(HandTool):
    """One dab, dragged to its size."""

    id: ClassVar[str] = "stamp"
    label: ClassVar[str] = "Stamp"
    hint: ClassVar[str] = "One dab, dragged to its size and turn"
    verb: ClassVar[str] = "Stamping into"
    key: ClassVar[str] = "k"
    icon: ClassVar[str] = "stamp"
    rank: ClassVar[int] = 2
    paints: ClassVar[bool] = True
    touch_up: ClassVar[bool] = False
    stroke: ClassVar[Literal["paint", "own"] | None] = "paint"
