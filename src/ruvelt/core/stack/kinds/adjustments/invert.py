"""The negative of what lies beneath."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar, Literal

from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.step import F64

if TYPE_CHECKING:
    from ruvelt.core.stack.channels import Channel


class InvertAdjust(PointAdjust):
    """1 − x of each encoded component. Height has no negative of that kind: flat would not stay flat."""

    kind: Literal["invert"] = "invert"
    label: ClassVar[str] = "Invert"
    hint: ClassVar[str] = "The negative of what lies beneath"
    rank: ClassVar[int] = 12

    def suits(self, channel: Channel) -> bool:
        return channel.kind != "height"

    def shaped(self, x: F64) -> F64:
        return 1 - x
