"""All checks of finished work, one file each in `checks` and those of plug-ins, over the sheets of a project."""

from __future__ import annotations

import logging
from collections.abc import Callable, Iterable
from functools import lru_cache

from ruvelt.core.discovery import classes_in
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.presets import ExportPreset
from ruvelt.core.review.finding import Finding, MapCheck
from ruvelt.core.review.sheet import CheckedSheet

#: Entry points of plug-ins with checks of finished work.
ENTRY_POINTS = "ruvelt.map_checks"
_LEVELS = {"warns": 0, "tells": 1}
_log = logging.getLogger(__name__)


@lru_cache(maxsize=1)
def map_checks() -> tuple[MapCheck, ...]:
    found = classes_in("ruvelt.core.review.checks", MapCheck, ENTRY_POINTS).values()
    return tuple(c() for c in sorted(found, key=lambda c: (c.rank, c.id)))


def review(
    displays: Iterable[SheetDisplay],
    preset: ExportPreset,
    *,
    only: Iterable[str] | None = None,
    tell: Callable[[int, str], None] = lambda done, what: None,
) -> list[Finding]:
    """Every finding on the sheets as a preset writes them, worst first. tell : called with (checks done, what comes); may raise Cancelled

    A check of a plug-in that fails is reported and finds nothing.
    """
    wanted = None if only is None else set(only)
    chosen = [c for c in map_checks() if wanted is None or c.id in wanted]
    found: list[Finding] = []
    done = 0
    for display in displays:
        sheet = CheckedSheet(display, preset)
        for check in chosen:
            tell(done, f"{sheet.name}: {check.label}")
            done += 1
            try:
                found += check.find(sheet)
            except Exception:
                if type(check).__module__.startswith("ruvelt.core."):
                    raise
                _log.exception("the check '%s' failed", check.id)
    order = {c.id: k for k, c in enumerate(chosen)}
    return sorted(found, key=lambda f: (_LEVELS[f.level], order.get(f.check, 99), -f.share))
