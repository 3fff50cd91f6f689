"""A mask painted by hand."""

from __future__ import annotations

from collections.abc import Hashable
from typing import ClassVar, Literal

from ruvelt.core.stack.basics import Share
from ruvelt.core.stack.kinds.controls import Control, Group, share
from ruvelt.core.stack.kinds.step import Reads, Source
from ruvelt.core.stack.plane_ids import mask_plane_id


class PaintedSource(Source):
    """A mask painted by hand; `base` is its value (0 hides, 1 reveals) where no stroke has been. It is read where its plane lies."""

    kind: Literal["painted"] = "painted"
    label: ClassVar[str] = "Painted"
    hint: ClassVar[str] = "A mask you paint by hand"
    group: ClassVar[Group] = "hand"
    rank: ClassVar[int] = 0
    controls: ClassVar[tuple[Control, ...]] = (share("base", "Start", "Value where no stroke has been"),)
    base: Share = 0.0

    @property
    def crosses(self) -> bool:
        return False

    def version(self, reads: Reads, layer_id: str, chunk: int) -> Hashable:
        return reads.planes.key(mask_plane_id(reads.host.sheet.id, layer_id, self.id), chunk)
