"""Edges and recesses."""

from __future__ import annotations

from collections.abc import Hashable
from typing import Annotated, ClassVar, Literal

from pydantic import Field

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.basics import Length
from ruvelt.core.stack.kinds.controls import SOFT, Control, Group, choice, length, value_range
from ruvelt.core.stack.kinds.step import Ramped, Reads, Signed


class CurvatureSource(Ramped):
    """Edges, recesses or both, from the baked curvature; `radius` (share of the diagonal) widens what counts as one."""

    kind: Literal["curvature"] = "curvature"
    label: ClassVar[str] = "Curvature"
    hint: ClassVar[str] = "Edges, recesses or both"
    group: ClassVar[Group] = "surface"
    rank: ClassVar[int] = 0
    controls: ClassVar[tuple[Control, ...]] = (
        choice("which", "Which", "Where the surface bends out, in, or either", "edges", "recesses", "both"),
        value_range("How sharp a bend must be"),
        SOFT,
        length("radius", "Widen", "Spreads what counts as an edge", 0.0, 0.05),
    )
    needs: ClassVar[str | None] = "curvature"
    which: Literal["edges", "recesses", "both"] = "edges"
    low: Signed = 0.1
    high: Signed = 0.45
    radius: Annotated[Length, Field(le=0.1)] = 0.0

    def version(self, reads: Reads, layer_id: str, chunk: int) -> Hashable:
        if self.radius > 0:
            return (reads.map_version("map:curvature"), reads.host.elsewhere("map:curvature"))
        return super().version(reads, layer_id, chunk)

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        wide = self.radius > 0
        values_u16 = reads.wide_map("map:curvature", self.radius, chunk) if wide else reads.host.composite("map:curvature", chunk)[0]
        return reads.host.measures.ramp(values_u16, {"edges": 2, "recesses": 3, "both": 4}[self.which], self.low, self.high, self.softness)
