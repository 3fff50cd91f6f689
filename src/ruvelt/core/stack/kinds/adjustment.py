"""What an adjustment layer does to what lies beneath it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.colour_stage import NOTHING, TABLES, Stage
from ruvelt.core.stack.kinds.controls import AdjustKind, Group
from ruvelt.core.stack.kinds.described import Described
from ruvelt.core.stack.kinds.step import F64
from ruvelt.core.stack.shaping import changes_nothing, component_tables, table

if TYPE_CHECKING:
    from ruvelt.core.planes.plane import U16
    from ruvelt.core.samples.surface import SurfaceSamples
    from ruvelt.core.stack.channels import Channel
    from ruvelt.core.workers import Workers


class Adjust(Described):
    """An adjustment is of one of the three classes below, or says nothing."""

    group: ClassVar[Group] = "adjust"
    #: As `AdjustKind` has them.
    colours: ClassVar[bool] = True
    counts: ClassVar[bool] = False
    reaches: ClassVar[bool] = True

    @classmethod
    def described(cls) -> AdjustKind:
        return AdjustKind(**dict(super().described()), colours=cls.colours, counts=cls.counts, reaches=cls.reaches)

    def suits(self, channel: Channel) -> bool:
        """Whether it has a meaning for a channel."""
        return True

    def stage(self) -> Stage:
        """What it does to colours; NOTHING where its settings leave them as they are."""
        return Stage()

    @property
    def waiting(self) -> bool:
        """Whether it says nothing until something is picked or measured."""
        return False


class PointAdjust(Adjust):
    """Looks at one encoded value at a time, component by component."""

    def shaped(self, x: F64) -> F64:
        """What it makes of values 0–1."""
        raise NotImplementedError

    def component(self, x: F64, k: int) -> F64:
        """The same of red, green or blue (0, 1, 2), where they differ."""
        return self.shaped(x)

    @property
    def neutral(self) -> bool:
        """Whether it gives all codes of one value back."""
        return changes_nothing(table(self))

    def stage(self) -> Stage:
        tables = component_tables(self)
        return Stage(NOTHING) if all(changes_nothing(t) for t in tables) else Stage(TABLES, tables=tables)


class ColourAdjust(Adjust):
    """Looks at red, green and blue together."""

    def suits(self, channel: Channel) -> bool:
        return channel.components == 3

    def stage(self) -> Stage:
        raise NotImplementedError


class SpreadingAdjust(Adjust):
    """Reads neighbours over the surface: made over the whole sheet at once."""

    colours: ClassVar[bool] = False
    reaches: ClassVar[bool] = False

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
