"""Takes colours and values."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.brush.hand_tool import HandTool


class Pick(HandTool):
    """Takes colours and values."""

    id: ClassVar[str] = "pick"
    label: ClassVar[str] = "Pick"
    hint: ClassVar[str] = "Take colours and values from the model or the sheet"
    verb: ClassVar[str] = "Picking for"
    key: ClassVar[str] = "p"
    icon: ClassVar[str] = "pick"
    rank: ClassVar[int] = 9
    tip: ClassVar[bool] = False
    stroke: ClassVar[Literal["paint", "own"] | None] = None
