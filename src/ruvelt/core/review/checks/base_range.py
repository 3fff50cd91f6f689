"""Base colours that no real surface has: too dark or too bright for what their metallic value says they are."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.output.component import luminance
from ruvelt.core.review.checks.unpainted import share
from ruvelt.core.review.finding import Finding, MapCheck, Mend
from ruvelt.core.review.sheet import CheckedSheet

#: Share of a sheet from which it is worth a word.
LEAST = 0.002


class BaseRange(MapCheck):
    """Base colours too dark or too bright for their metallic value."""

    id: ClassVar[str] = "base-range"
    label: ClassVar[str] = "Base colour out of range"
    hint: ClassVar[str] = "No surface is black as coal dust or brighter than fresh snow; metals reflect their colour"
    rank: ClassVar[int] = 1

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        if not sheet.has("base_color") or not sheet.writes("base_color"):
            return []
        preset = sheet.preset
        bright = luminance(sheet.codes("base_color"), False).astype(np.float32) / 257
        metallic = sheet.codes("metallic")[0] if sheet.has("metallic") else np.zeros(len(bright), np.uint16)
        metal, other = metallic > 0.9 * 65535, metallic < 0.1 * 65535
        found = []
        span = f"{preset.dark}–{preset.bright}"
        for marked, what, why, mend in (
            (
                other & (bright < preset.dark - 0.5),
                f"darker than {preset.dark}",
                f"Surfaces that are no metal lie between {span} of 255. Darker ones swallow light, and occlusion shows no more.",
                Mend("clamp", "Lift into the range", {"low": preset.dark, "high": preset.bright}),
            ),
            (
                other & (bright > preset.bright + 0.5),
                f"brighter than {preset.bright}",
                f"Surfaces that are no metal lie between {span} of 255. Brighter ones glow under strong light.",
                Mend("clamp", "Bring into the range", {"low": preset.dark, "high": preset.bright}),
            ),
            (
                metal & (bright < preset.metal_dark - 0.5),
                f"darker than {preset.metal_dark} on metal",
                f"Metals reflect their base colour: {preset.metal_dark}–255 on clean ones. Rust and dirt are no metal: lower metallic there.",
                None,
            ),
        ):
            mine = marked & sheet.covered
            if mine.mean() * len(mine) < LEAST * max(int(sheet.covered.sum()), 1):
                continue
            values = bright[mine]
            title = f"Base colour {what}: {share(int(mine.sum()), sheet)}, from {values.min():.0f} to {values.max():.0f}"
            found.append(self.found(sheet, "warns", title, why, mine, map_id="base_color", mend=mend))
        return found
