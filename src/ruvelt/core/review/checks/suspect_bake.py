"""Texels of bakes that met nothing, the wrong part, or the far end of the search."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.bake.mesh_map import SUSPECTS
from ruvelt.core.bake.source import FAR_LIMIT, MISSED, OTHER_PART
from ruvelt.core.review.checks.unpainted import share
from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.sheet import CheckedSheet
from ruvelt.core.stack.plane_ids import base_plane_id

#: Share of a sheet from which it is worth a word.
LEAST = 0.001


class SuspectBake(MapCheck):
    """Suspect texels of the sheet's last bake."""

    id: ClassVar[str] = "suspect-bake"
    label: ClassVar[str] = "Suspect bakes"
    hint: ClassVar[str] = "Rays that met nothing, another part, or only the far end of the search"
    rank: ClassVar[int] = 6

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        bits = sheet.display.stored(base_plane_id(sheet.id, SUSPECTS))
        if bits is None:
            return []
        marks = np.rint(bits[0] / 257.0).astype(np.uint8)
        bad = sheet.covered & (marks > 0)
        count = int(bad.sum())
        if count < LEAST * max(int(sheet.covered.sum()), 1):
            return []
        kinds = ((MISSED, "met nothing"), (OTHER_PART, "met another part"), (FAR_LIMIT, "met only the far end"))
        told = ", ".join(f"{int((marks[bad] & bit > 0).sum()):,} {words}" for bit, words in kinds if (marks[bad] & bit > 0).any())
        title = f"{count:,} texels of the bake are suspect ({share(count, sheet)}): {told}"
        why = "Mesh maps hold wrong values there. Widen the search or pair parts on the Bake screen, then bake the sheet again."
        return [self.found(sheet, "warns", title, why, bad, mend=Mend("rebake", "Bake again with a wider search", {"wider": 1.5}))]
