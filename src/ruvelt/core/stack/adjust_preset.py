"""An adjustment kept under a name, for other layers, sheets and projects."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from ruvelt.core.stack.adjustments import Adjustment
from ruvelt.core.stack.basics import Frozen, Id, Name
from ruvelt.core.stack.picked_range import PickedRange


class AdjustPreset(Frozen):
    """What `AdjustLayer` says of how it changes colours and values."""

    id: Id
    name: Name
    adjust: Adjustment
    components: Annotated[tuple[Literal["r", "g", "b"], ...], Field(max_length=3)] = ("r", "g", "b")
    ranges: Annotated[tuple[PickedRange, ...], Field(max_length=16)] = ()
    rest: bool = False
