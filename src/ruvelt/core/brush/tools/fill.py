"""Fills what is pointed at."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.brush.hand_tool import HandTool


class Fill(HandTool):
    """Fills what is pointed at."""

    id: ClassVar[str] = "fill"
    label: ClassVar[str] = "Fill"
    hint: ClassVar[str] = "Flood what you point at"
    verb: ClassVar[str] = "Filling"
    key: ClassVar[str] = "f"
    icon: ClassVar[str] = "fill"
    rank: ClassVar[int] = 8
    tip: ClassVar[bool] = False
    touch_up: ClassVar[bool] = False
    stroke: ClassVar[Literal["paint", "own"] | None] = None
