"""What history keeps of the hand beside a step's chunks: enough to do it again at another resolution, or to record it as a script.

Stored as JSON with `did`, which tells what a step is, and `version`. What a stroke or flood was laid with stays as it was stored until it is
laid again: a tool of a plug-in that is gone is no reason not to read a history.
"""

from __future__ import annotations

import logging
from collections.abc import Mapping
from typing import Annotated, Any, Literal

from pydantic import Field, TypeAdapter, ValidationError

from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.script import RecordedStroke
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.stack.basics import FacePick, Frozen

_log = logging.getLogger(__name__)
Picks = tuple[FacePick, ...]


class Kept(Frozen):
    version: Literal[1] = 1


class Laid(Kept):
    """hidden : the parts that were hidden then; hidden_picks, shown_picks : the faces beside them, as a document has them"""

    target: dict[str, Any]
    paint: dict[str, Any] = {}
    hidden: tuple[int, ...] = ()
    hidden_picks: tuple[FacePick, ...] = ()
    shown_picks: tuple[FacePick, ...] = ()

    @property
    def tool(self) -> str:
        return str(self.paint.get("tool", "paint"))


class KeptStroke(Laid):
    did: Literal["stroke"] = "stroke"
    brush: dict[str, Any] = {}
    stroke: dict[str, Any]

    @classmethod
    def of(cls, recorded: RecordedStroke, hidden: tuple[int, ...], **faces: Picks) -> KeptStroke:
        return cls(**recorded.model_dump(mode="json", exclude_defaults=True), hidden=hidden, **faces)

    def recorded(self) -> RecordedStroke:
        return RecordedStroke.model_validate({"target": self.target, "brush": self.brush, "paint": self.paint, "stroke": self.stroke})


class Flood(Frozen):
    picks: tuple[FacePick, ...] | None
    strength: float
    gradient: Gradient | None = None


class KeptFlood(Laid):
    did: Literal["flood"] = "flood"
    flood: Flood

    @classmethod
    def of(cls, flood: Flood, target: Target, paint: Paint, hidden: tuple[int, ...], **faces: Picks) -> KeptFlood:
        laid = {"target": target.model_dump(mode="json", exclude_defaults=True), "paint": paint.model_dump(mode="json", exclude_defaults=True)}
        return cls(flood=flood, **laid, hidden=hidden, **faces)


class KeptCopies(Kept):
    """copies : new plane → the one whose pixels it took"""

    did: Literal["copies"] = "copies"
    copies: dict[str, str]


class KeptResolution(Kept):
    """A sheet's resolution, and what it was before."""

    did: Literal["resolution"] = "resolution"
    sheet: str
    resolution: int
    was: int


class KeptLevel(Kept):
    """The level that vertices are painted at, and what it was before."""

    did: Literal["level"] = "level"
    sheet: str
    level: int
    was: int


class KeptExchange(Kept):
    """Another layout or mesh under the paint. same_shape : whether strokes of before still meet the surface where they did"""

    did: Literal["exchange"] = "exchange"
    same_shape: bool


HistoryStep = KeptStroke | KeptFlood | KeptCopies | KeptResolution | KeptLevel | KeptExchange
_STEP: TypeAdapter[HistoryStep] = TypeAdapter(Annotated[HistoryStep, Field(discriminator="did")])
#: What tells steps apart that were stored before they said so.
_BY_KEY = ("resolution", "copies", "flood", "stroke")


def stored_step(step: HistoryStep) -> dict[str, Any]:
    return step.model_dump(mode="json")


def read_step(stored: Mapping[str, Any] | None) -> HistoryStep | None:
    """A step as it is stored; None of one that laid nothing by hand, or that cannot be read here: its pixels stand for it."""
    if stored is None:
        return None
    did = stored.get("did") or next((key for key in _BY_KEY if key in stored), None)
    try:
        return _STEP.validate_python({**stored, "did": did})
    except ValidationError as error:
        _log.warning("a step of history cannot be read and is taken by its pixels: %s", error.errors()[0]["msg"])
        return None
