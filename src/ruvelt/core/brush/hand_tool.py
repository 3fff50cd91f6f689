"""What a hand tool says of itself, and what its strokes lay."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Literal

from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.kinds.controls import Control

if TYPE_CHECKING:
    from ruvelt.core.brush.parts import Part
    from ruvelt.core.brush.reading import Reader
    from ruvelt.core.brush.target import Cell, Paint


class ToolKind(Frozen):
    """A tool as the interface lays it out. key : that chooses it at first; icon : one of the interface's own; tip : whether it has a brush;
    paints : whether it lays the colours; touch_up : whether mesh maps take it; stroke : `tool` of the strokes it lays, none of a tool that only
    points; controls : its sliders, which go with each stroke as `settings`"""

    id: str
    name: str
    hint: str
    verb: str
    key: str
    icon: str
    tip: bool
    paints: bool
    touch_up: bool
    stroke: str | None
    controls: tuple[Control, ...]


class HandTool:
    """One tool: what the interface shows of it, and for those that look at what is there what their strokes lay."""

    id: ClassVar[str] = ""
    label: ClassVar[str] = ""
    hint: ClassVar[str] = ""
    #: What the line over the views says before the target's name.
    verb: ClassVar[str] = ""
    key: ClassVar[str] = ""
    icon: ClassVar[str] = "brush"
    rank: ClassVar[int] = 1000
    tip: ClassVar[bool] = True
    paints: ClassVar[bool] = False
    touch_up: ClassVar[bool] = True
    #: "paint" lays the colours; "own" what `make` works out; None lays nothing by strokes.
    stroke: ClassVar[Literal["paint", "own"] | None] = "own"
    #: Sliders of its own, with first values beside.
    controls: ClassVar[tuple[Control, ...]] = ()
    first: ClassVar[dict[str, float]] = {}

    @classmethod
    def kind_id(cls) -> str:
        return cls.id

    @classmethod
    def described(cls) -> ToolKind:
        stroke = cls.id if cls.stroke == "own" else cls.stroke
        return ToolKind(
            id=cls.id,
            name=cls.label,
            hint=cls.hint,
            verb=cls.verb or f"{cls.label} on",
            key=cls.key,
            icon=cls.icon,
            tip=cls.tip,
            paints=cls.paints,
            touch_up=cls.touch_up,
            stroke=stroke,
            controls=cls.controls,
        )

    def follows(self, paint: Paint) -> bool:
        """Whether what is laid depends on how far it is laid, and is made anew with each batch."""
        return False

    def means(self, reader: Reader) -> bool:
        """Whether it takes means: of linear codes where the project blends so, and of colour times coverage."""
        return False

    def make(self, reader: Reader, cell: Cell, parts: list[Part]) -> None:
        """Fill in the values, (components, 65536) uint16 each, that parts of a cell are to move towards."""
        raise NotImplementedError
