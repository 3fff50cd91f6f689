"""Takes paint off."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.brush.hand_tool import HandTool


class Erase(HandTool):
    """Takes paint off."""

    id: ClassVar[str] = "erase"
    label: ClassVar[str] = "Erase"
    hint: ClassVar[str] = "Take paint off the target"
    verb: ClassVar[str] = "Erasing from"
    key: ClassVar[str] = "e"
    icon: ClassVar[str] = "erase"
    rank: ClassVar[int] = 3
    stroke: ClassVar[Literal["paint", "own"] | None] = "paint"
