"""Padding that does not last for the smaller copies an engine makes."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.sheet import CheckedSheet


class ThinPadding(MapCheck):
    """Padding thinner than a texel of the smallest copy that is made."""

    id: ClassVar[str] = "thin-padding"
    label: ClassVar[str] = "Thin padding"
    hint: ClassVar[str] = "Each smaller copy needs twice the padding: a pixel of it is two of the copy before"
    rank: ClassVar[int] = 4

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        preset = sheet.preset
        needed = 1 << preset.mips
        if preset.around == "everything" or (preset.around in ("pixels", "clear") and preset.padding >= needed):
            return []
        if sheet.covered.all():
            return []
        has = 0 if preset.around == "none" else preset.padding
        title = f"{has} pixels of padding for {preset.mips} smaller copies, which need {needed}"
        why = "In the smaller copies the empty ground runs into the islands, as dark lines along the seams seen from afar."
        mend = Mend("pad", f"Pad {needed} pixels", {"around": "pixels", "padding": float(min(needed, 256))})
        edge = np.zeros(len(sheet.covered), bool)
        gutter = sheet.samples.gutter(1)
        edge[gutter.src] = True
        return [self.found(sheet, "warns", title, why, edge, share=1.0, mend=mend)]
