"""Alpha that will be drawn in the wrong order."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.review.checks.unpainted import share
from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.sheet import CheckedSheet

#: Opacity that is neither clear nor full; of what is not full so much may be soft in a cut-out.
LOW, HIGH, SOFT = 0.05, 0.95, 0.35
#: Texels from which it is worth a word.
LEAST = 16


class AlphaSorting(MapCheck):
    """Alpha that will be drawn in the wrong order."""

    id: ClassVar[str] = "alpha-sorting"
    label: ClassVar[str] = "Alpha that sorts badly"
    hint: ClassVar[str] = "Blended surfaces are drawn one after the other, from behind; cut-outs need no order"
    rank: ClassVar[int] = 10

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        traits = sheet.display.evaluator.sheet
        if not sheet.has("opacity") or not sheet.writes("opacity") or traits.alpha_mode in ("opaque", "mask"):
            return []
        opacity = sheet.codes("opacity")[0]
        open_ = sheet.covered & (opacity < HIGH * 65535)
        soft = open_ & (opacity > LOW * 65535)
        if open_.sum() < LEAST:
            return []
        if soft.sum() <= SOFT * open_.sum():
            title = f"Opacity is clear or full on all but {share(int(soft.sum()), sheet)}, yet it blends"
            why = "Blending draws surfaces from behind, and in the wrong order where they cross. A cut-out needs no order."
            return [self.found(sheet, "warns", title, why, open_, map_id="opacity", mend=Mend("cut-out", "Make it a cut-out"))]
        if not traits.double_sided:
            return []
        title = f"Half-clear on both sides: {share(int(soft.sum()), sheet)}"
        why = "The far side may be drawn over the near one. Give clear parts a material of their own, single-sided."
        return [self.found(sheet, "tells", title, why, soft, map_id="opacity")]
