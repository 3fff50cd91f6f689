"""A hand tool. It is one class: what the interface shows of it, and what its strokes lay."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.brush.hand_tool import HandTool
from ruvelt.core.brush.parts import Part, map_blocks
from ruvelt.core.stack.kinds.controls import Control, share


class BleachTool(HandTool):
    """Moves what is there towards white, or a channel of one number towards 1."""

    id: ClassVar[str] = "bleach"
    label: ClassVar[str] = "Bleach"
    hint: ClassVar[str] = "Let the sun take colours out"
    verb: ClassVar[str] = "Bleaching"
    key: ClassVar[str] = "u"
    icon: ClassVar[str] = "tone"
    controls: ClassVar[tuple[Control, ...]] = (share("amount", "Amount", "How far a full stroke goes"),)
    first: ClassVar[dict[str, float]] = {"amount": 0.5}

    def make(self, reader, cell, parts: list[Part]) -> None:  # type: ignore[no-untyped-def]
        amount, count = np.float32(reader.paint.setting("amount")), cell.components - 1

        def bleach(part: Part) -> None:
            local = reader.slots(part) & 65535
            look = reader.look(cell, part.chunk)[:, local].astype(np.float32)
            part.out[:count, local] = np.rint(look[:count] + (65535 - look[:count]) * amount)
            if reader.own(cell):
                part.out[count, local] = look[count]

        map_blocks(reader.workers, bleach, parts)
