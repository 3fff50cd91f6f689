"""Ranges of colour inside an adjustment."""

from __future__ import annotations

from typing import Annotated

from pydantic import Field

from ruvelt.core.stack.adjustments import Adjustment
from ruvelt.core.stack.basics import Colour, Frozen, Id, Share


class PickedRange(Frozen):
    """Colours that look like one, with settings of their own. Distances are OKLab's.

    What is within `tolerance` is caught whole, over `softness` it fades out; `invert`: all but that. Where ranges overlap they share by weight.
    """

    id: Id
    name: Annotated[str, Field(max_length=80)] = ""
    on: bool = True
    colour: Colour
    tolerance: Share = 0.08
    softness: Share = 0.08
    invert: bool = False
    adjust: Adjustment
