"""What a fill lays down in a channel."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.stack.basics import Id
from ruvelt.core.stack.kinds.controls import Group
from ruvelt.core.stack.kinds.described import Described

if TYPE_CHECKING:
    from ruvelt.core.planes.plane import U16
    from ruvelt.core.stack.channels import Channel
    from ruvelt.core.stack.measures import Measures


class FillContent(Described):
    """A picture or pattern of values."""

    group: ClassVar[Group] = "content"

    @property
    def picture_key(self) -> Id | None:
        """The picture of the project that it reads."""
        return None

    def constants(self) -> Iterator[tuple[float, ...]]:
        """Values of the channel that it names, checked against the channel before they are stored."""
        return iter(())

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        """(components + 1, 65536) uint16, alpha last; None where it has nothing to say."""
        raise NotImplementedError


class UnknownContent(FillContent):
    """Content of a kind that is not known here: kept as it was stored, and nothing is laid."""

    kind: Literal["unknown"] = "unknown"
    label: ClassVar[str] = "Unknown"
    hint: ClassVar[str] = "Comes from a plug-in that is not installed; it is kept, but has no effect"
    hidden: ClassVar[bool] = True
    of: Annotated[str, Field(max_length=80)]
    #: What was stored, as JSON text.
    held: Annotated[str, Field(max_length=100_000)] = "{}"

    def values(self, measures: Measures, channel: Channel, chunk: int) -> U16 | None:
        return None
