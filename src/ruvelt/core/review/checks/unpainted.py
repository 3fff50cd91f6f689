"""Texels that no layer says anything about."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.review.finding import Finding, MapCheck
from ruvelt.core.review.sheet import CheckedSheet
from ruvelt.core.samples.address import CHUNK


class Unpainted(MapCheck):
    """Texels of the base colour that no layer says anything about."""

    id: ClassVar[str] = "unpainted"
    label: ClassVar[str] = "Unpainted texels"
    hint: ClassVar[str] = "No layer says anything there: the channel's start is written"
    rank: ClassVar[int] = 0

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        if not sheet.has("base_color"):
            return []
        coverage = np.concatenate([sheet.display.evaluator.coverage("base_color", c) for c in range(len(sheet.covered) // CHUNK)])
        bare = sheet.covered & (coverage <= 0)
        count = int(bare.sum())
        if not count:
            return []
        title = f"{count:,} texels without a base colour ({share(count, sheet)})"
        why = "No layer says anything there, so the start colour is written. Put a fill beneath, or paint there."
        return [self.found(sheet, "warns", title, why, bare)]


def share(count: int, sheet: CheckedSheet) -> str:
    """A count of texels as a share of the sheet, in words."""
    part = 100 * count / max(int(sheet.covered.sum()), 1)
    return f"{part:.0f} %" if part >= 1 else f"{part:.2g} %"
