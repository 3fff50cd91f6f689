"""Grain that few rays leave in a bake."""

from __future__ import annotations

from typing import ClassVar

import cv2
import numpy as np

from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.sheet import CheckedSheet

#: Maps of many rays, and the noise (of 0–1) that is seen.
MAPS, SEEN = ("occlusion", "thickness"), 0.02
#: Noise of a difference of neighbours is this much more than that of one, and the middle of absolute values this much less than the deviation.
_PAIR, _MIDDLE = np.sqrt(1.5), 0.6745


class BakeNoise(MapCheck):
    """Grain of low ray counts in occlusion and thickness."""

    id: ClassVar[str] = "bake-noise"
    label: ClassVar[str] = "Noise of few rays"
    hint: ClassVar[str] = "Speckles in occlusion and thickness that more rays would even out"
    rank: ClassVar[int] = 8

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        found = []
        for name in MAPS:
            if not sheet.has(f"map:{name}"):
                continue
            values = np.asarray(sheet.samples.to_image(sheet.codes(f"map:{name}")[0])).astype(np.float32) / 65535
            inside = cv2.erode(sheet.covered_image.astype(np.uint8), np.ones((5, 5), np.uint8)) > 0
            if inside.sum() < 1000:
                continue
            # A texel less the mean of its neighbours left and right: slopes fall away, grain stays; edges do not move a median.
            rest = np.abs(values[:, 1:-1] - (values[:, :-2] + values[:, 2:]) / 2)[inside[:, 1:-1]]
            open_part = (values[:, 1:-1][inside[:, 1:-1]] < 0.995) & (values[:, 1:-1][inside[:, 1:-1]] > 0.005)
            if open_part.sum() < 1000:
                continue
            noise = float(np.median(rest[open_part])) / _MIDDLE / _PAIR
            if noise < SEEN:
                continue
            entry = next(m for m in sheet.display.evaluator.sheet.mesh_maps if m.id == name)
            rays = int(entry.settings.get("rays", 0) or 0)
            title = f"{name.capitalize()} has grain of {noise:.1%}" + (f" from {rays} rays a texel" if rays else "")
            why = "Masks and shading that read it are speckled. More rays even it out: four times as many halve it."
            more = min(max(rays, 16) * int(np.ceil((noise / (SEEN / 2)) ** 2)), 1024)
            mend = Mend("rebake", f"Bake again with {more} rays", {"rays": float(more), "map": name})
            again = mend if entry.source in ("high", "model", "normal-map") else None
            found.append(self.found(sheet, "warns", title, why, sheet.covered, share=1.0, map_id=f"map:{name}", mend=again))
        return found
