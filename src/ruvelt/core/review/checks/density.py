"""Islands that are painted coarser or finer than the others of their sheet."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.inspect.checks.uneven_density import DENSITY_FACTOR, UnevenDensity
from ruvelt.core.review.finding import Finding, MapCheck
from ruvelt.core.review.sheet import CheckedSheet


class Density(MapCheck):
    """Islands that are painted coarser or finer than the others of their sheet."""

    id: ClassVar[str] = "density"
    label: ClassVar[str] = "Uneven texel density"
    hint: ClassVar[str] = "Some islands have more texels for their area than others"
    rank: ClassVar[int] = 5

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        found = UnevenDensity().find(sheet.samples.model, [sheet.samples.plan])
        if found is None:
            return []
        share = len(found.faces) / max(len(sheet.samples.plan.faces), 1)
        title = f"{len(found.faces):,} faces at more than {DENSITY_FACTOR:g}× another density than the sheet's"
        why = "What is painted there looks coarser or finer than beside it. Scale the islands on the Model screen; paint is laid again."
        return [self.found(sheet, "tells", title, why, None, faces=found.faces, share=share)]
