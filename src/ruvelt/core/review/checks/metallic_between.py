"""Metallic that is neither 0 nor 1."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.review.checks.unpainted import share
from ruvelt.core.review.finding import Finding, MapCheck
from ruvelt.core.review.sheet import CheckedSheet

#: Values that are neither, and the share of a sheet that soft edges may have.
LOW, HIGH, LEAST = 0.1, 0.9, 0.02


class MetallicBetween(MapCheck):
    """Metallic that is neither 0 nor 1, by area."""

    id: ClassVar[str] = "metallic-between"
    label: ClassVar[str] = "Metallic between 0 and 1"
    hint: ClassVar[str] = "A surface is metal or it is not; only soft edges lie between"
    rank: ClassVar[int] = 2

    def find(self, sheet: CheckedSheet) -> list[Finding]:
        if not sheet.has("metallic") or not sheet.writes("metallic"):
            return []
        metallic = sheet.codes("metallic")[0]
        between = sheet.covered & (metallic > LOW * 65535) & (metallic < HIGH * 65535)
        count = int(between.sum())
        if count < LEAST * max(int(sheet.covered.sum()), 1):
            return []
        title = f"Metallic between {LOW:g} and {HIGH:g} on {share(count, sheet)}"
        why = "A surface is metal or it is not. What lies between looks like neither; only soft edges of masks are meant to."
        return [self.found(sheet, "warns", title, why, between, map_id="metallic")]
