"""Maps larger than what is in them deserves."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from ruvelt.core.output.estimate import touched
from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.seams import smaller
from ruvelt.core.review.sheet import CheckedSheet

#: Codes of 255: what half the size may lose in the mean square, and on single texels.
MEAN, WORST = 0.5, 6.0
#: Share of texels that may be off by more.
RARE = 0.001


class TooLarge(MapCheck):
    """Maps that half the size would hold as well."""

    id: ClassVar[str] = "too-large"
    label: ClassVar[str] = "Larger than its content"
    hint: ClassVar[str] = "Half the size would hold the same, at a quarter of the memory"
    rank: ClassVar[int] = 9

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        names = [c.id for c in sheet.display.evaluator.document.channels if sheet.writes(c.id) and touched(sheet.display, c.id)]
        if not names or sheet.side < 512 or sheet.preset.size not in (0, sheet.side):
            return []
        sizes = [_enough(sheet.image(name), sheet.covered_image, sheet.side) for name in names]
        enough = max(sizes)
        if enough >= sheet.side:
            return []
        title = f"{enough} × {enough} would hold everything that is on these {sheet.side} × {sheet.side} texels"
        why = f"Every map costs {(sheet.side // enough) ** 2} times the memory for nothing. Write this sheet smaller; what is painted stays as it is."
        mend = Mend("smaller", f"Write it at {enough}", {"size": float(enough)})
        return [self.found(sheet, "tells", title, why, None, faces=sheet.samples.plan.faces, share=1.0, mend=mend)]


def _enough(image: np.ndarray, inside: np.ndarray, side: int) -> int:
    """The least side, from 256 on, at which a map is the same to the eye."""
    best, now = side, image
    mask = inside.astype(np.uint8)
    root = np.sqrt(max(int(mask.sum()), 1) * image.shape[2])
    while best > 256:
        now = smaller(now)
        back = cv2.resize(now, (side, side), interpolation=cv2.INTER_LINEAR)
        back = back if back.ndim == 3 else back[..., None]
        if cv2.norm(back, image, cv2.NORM_L2, mask) / root > MEAN or (np.abs(back - image)[inside] > WORST).mean() > RARE:
            return best
        best //= 2
    return best
