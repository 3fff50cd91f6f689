"""Heights that are cut at their ends, or come in steps."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.output.writer import bits_for, writer_of
from ruvelt.core.review.checks.unpainted import share
from ruvelt.core.review.finding import Finding, MapCheck
from ruvelt.core.review.sheet import CheckedSheet

#: Shares of a sheet from which it is told.
LEAST_CUT, LEAST_STEPPED = 0.002, 0.02


class HeightRange(MapCheck):
    """Heights that are cut at their ends, or come in steps of 8 bits."""

    id: ClassVar[str] = "height-range"
    label: ClassVar[str] = "Clipped or stepped height"
    hint: ClassVar[str] = "Height that reaches the end of its range is flat there; steps of 8 bits show as terraces"
    rank: ClassVar[int] = 7

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        if not sheet.has("height") or not (sheet.writes("height") or sheet.writes("normal")):
            return []
        height = sheet.codes("height")[0]
        found = []
        cut = sheet.covered & ((height == 0) | (height == 65535))
        if cut.sum() >= LEAST_CUT * max(int(sheet.covered.sum()), 1):
            title = f"Height reaches the end of its range on {share(int(cut.sum()), sheet)}"
            why = "What is higher or deeper is cut flat. Lower the layers' relief, or raise what height 1 stands for on the Model screen."
            found.append(self.found(sheet, "warns", title, why, cut, map_id="height"))
        stepped = _stepped(sheet, height)
        if stepped.sum() >= LEAST_STEPPED * max(int(sheet.covered.sum()), 1):
            title = f"Height comes in steps of 8 bits on {share(int(stepped.sum()), sheet)}"
            why = "Slopes show as terraces under light. Bring the picture in again with 16 bits, or soften it."
            found.append(self.found(sheet, "warns", title, why, stepped, map_id="height"))
        for spec in sheet.preset.maps:
            writer = writer_of(spec.format or sheet.preset.format)
            if spec.on and "height" in spec.components and bits_for(writer, spec.bits or sheet.preset.bits) == 8 and np.ptp(height[sheet.covered]):
                title = f"{spec.name} is written with 8 bits"
                why = "256 heights make terraces on slopes. 16 bits or floating-point numbers do not."
                found.append(self.found(sheet, "tells", title, why, None, share=1.0, map_id=spec.id))
        return found


def _stepped(sheet: CheckedSheet, height: np.ndarray) -> np.ndarray:
    """Texels whose height is a step of 8 bits, where it changes and nothing between the steps is met."""
    image = np.asarray(sheet.samples.to_image(height)).astype(np.int32)
    inside = sheet.covered_image
    step = (image % 257 == 0) & inside
    jump = np.zeros(image.shape, bool)
    across = np.abs(np.diff(image, axis=1))
    down = np.abs(np.diff(image, axis=0))
    jump[:, 1:] |= (across > 0) & inside[:, 1:] & inside[:, :-1]
    jump[1:] |= (down > 0) & inside[1:] & inside[:-1]
    changing = jump & inside
    # Nearly all changes of the sheet are whole steps, and there are many of them, as a gradient has.
    levels = int((np.bincount(height[sheet.covered], minlength=65536) > 0).sum())
    if not changing.any() or levels < 16 or (image[changing] % 257 != 0).mean() > 0.05:
        return np.zeros(len(height), bool)
    return np.asarray(sheet.samples.from_image(step & (image != 32768)), bool) & sheet.covered
