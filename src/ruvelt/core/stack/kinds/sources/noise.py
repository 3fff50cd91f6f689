"""Noise in object space."""

from __future__ import annotations

from typing import ClassVar, Literal

from ruvelt.core.planes.plane import U16
from ruvelt.core.stack.fields import Noise
from ruvelt.core.stack.kinds.controls import NOISE, Control, Group
from ruvelt.core.stack.kinds.step import Reads, Source


class NoiseSource(Source, Noise):
    """Noise in object space: no seam shows."""

    kind: Literal["noise"] = "noise"
    label: ClassVar[str] = "Noise"
    hint: ClassVar[str] = "Clouds, cells and ridges in space: no seam shows"
    group: ClassVar[Group] = "pattern"
    rank: ClassVar[int] = 0
    controls: ClassVar[tuple[Control, ...]] = NOISE
    kept: ClassVar[bool] = True

    def values(self, reads: Reads, layer_id: str, chunk: int) -> U16:
        return reads.host.measures.noise(self, chunk)
