"""Paints."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.brush.hand_tool import HandTool


class Brush(HandTool):
    """Paints."""

    id: ClassVar[str] = "brush"
    label: ClassVar[str] = "Brush"
    hint: ClassVar[str] = "Paint with the brush"
    verb: ClassVar[str] = "Painting into"
    key: ClassVar[str] = "b"
    icon: ClassVar[str] = "brush"
    rank: ClassVar[int] = 0
    paints: ClassVar[bool] = True
    stroke: ClassVar[Literal["paint", "own"] | None] = "paint"
