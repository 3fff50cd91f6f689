"""Changes the colours that are there."""

from __future__ import annotations

from typing import TYPE_CHECKING, ClassVar

import numpy as np

from ruvelt.core.brush import _tool_kernels as kernels
from ruvelt.core.brush.hand_tool import HandTool
from ruvelt.core.brush.parts import Part, map_blocks
from ruvelt.core.planes.addresses import address_of
from ruvelt.core.samples.address import CHUNK

if TYPE_CHECKING:
    from ruvelt.core.brush.reading import Reader
    from ruvelt.core.brush.target import Cell, Paint


class Tone(HandTool):
    """Changes the colours that are there."""

    id: ClassVar[str] = "tone"
    label: ClassVar[str] = "Tone"
    hint: ClassVar[str] = "Lighten, darken and colour what is there"
    verb: ClassVar[str] = "Toning"
    key: ClassVar[str] = "n"
    icon: ClassVar[str] = "tone"
    rank: ClassVar[int] = 7

    def follows(self, paint: Paint) -> bool:
        return paint.tone.change == "hue"

    def make(self, reader: Reader, cell: Cell, parts: list[Part]) -> None:
        map_blocks(reader.workers, lambda part: _tone(reader, part), parts)


CHANGES = {
    "lighten": kernels.LIGHTEN,
    "darken": kernels.DARKEN,
    "contrast": kernels.CONTRAST,
    "saturate": kernels.SATURATE,
    "desaturate": kernels.DESATURATE,
    "hue": kernels.HUE,
    "tint": kernels.TINT,
}
SPANS = {"all": kernels.ALL, "shadows": kernels.SHADOWS, "midtones": kernels.MIDTONES, "highlights": kernels.HIGHLIGHTS}


def _tone(reader: Reader, part: Part) -> None:
    tone, cell = reader.paint.tone, part.cell
    change = kernels.ToneChange(CHANGES[tone.change], SPANS[tone.range], tone.amount, tone.degrees / 360, np.array(tone.colour, np.float32))
    laid = reader.coverage[part.chunk * CHUNK : (part.chunk + 1) * CHUNK]
    look, comps = address_of(reader.look(cell, part.chunk)), cell.components - 1
    kernels.tone_runs(reader.runs(part), look, comps, reader.own(cell), change, reader.linear(cell), laid, reader.paint.cover, part.out)
