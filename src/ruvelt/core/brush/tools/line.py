"""Lines, curves and rows."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.brush.hand_tool import HandTool


class Line(HandTool):
    """Lines, curves and rows."""

    id: ClassVar[str] = "line"
    label: ClassVar[str] = "Line"
    hint: ClassVar[str] = "Lines, curves and rows of stamps, editable until kept"
    verb: ClassVar[str] = "Drawing into"
    key: ClassVar[str] = "l"
    icon: ClassVar[str] = "line"
    rank: ClassVar[int] = 1
    paints: ClassVar[bool] = True
    touch_up: ClassVar[bool] = False
    stroke: ClassVar[Literal["paint", "own"] | None] = "paint"
