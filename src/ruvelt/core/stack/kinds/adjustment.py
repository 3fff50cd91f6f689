"""What an adjustment layer does to what lies beneath it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.kinds.controls import Group
from ruvelt.core.stack.kinds.described import Described
from ruvelt.core.stack.kinds.step import F64

if TYPE_CHECKING:
    from ruvelt.core.planes.plane import U16
    from ruvelt.core.samples.surface import SurfaceSamples
    from ruvelt.core.stack.channels import Channel
    from ruvelt.core.workers import Workers


class Adjust(Described):
    """An adjustment is of one of the three classes below, or says nothing."""

    group: ClassVar[Group] = "adjust"

    def suits(self, channel: Channel) -> bool:
        """Whether it has a meaning for a channel."""
        return True


class PointAdjust(Adjust):
    """Looks at one encoded value at a time, component by component."""

    def shaped(self, x: F64) -> F64:
        """What it makes of values 0–1."""
        raise NotImplementedError


class TurningAdjust(Adjust):
    """Turns hues, scales saturation and moves value."""

    def turn(self) -> tuple[float, float, float]:
        """Full turns of the hue, and two shares −1 … 1."""
        raise NotImplementedError

    def suits(self, channel: Channel) -> bool:
        return channel.components == 3


class SpreadingAdjust(Adjust):
    """Reads neighbours over the surface: made over the whole sheet at once."""

    def spread(self, samples: SurfaceSamples, values_u16: U16, workers: Workers) -> U16:
        """(components, slots) uint16 of the same."""
        raise NotImplementedError


class UnknownAdjust(Adjust):
    """An adjustment of a kind that is not known here: kept as it was stored, and it changes nothing."""

    kind: Literal["unknown"] = "unknown"
    label: ClassVar[str] = "Unknown"
    hint: ClassVar[str] = "Comes from a plug-in that is not installed; it is kept, but has no effect"
    hidden: ClassVar[bool] = True
    of: Annotated[str, Field(max_length=80)]
    #: What was stored, as JSON text.
    held: Annotated[str, Field(max_length=100_000)] = "{}"

    def suits(self, channel: Channel) -> bool:
        return False
