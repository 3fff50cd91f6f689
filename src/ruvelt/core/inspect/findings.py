"""What is wrong with a model before painting starts (N1.3), as data that points at faces."""

from __future__ import annotations

import logging
from functools import lru_cache

from ruvelt.core.discovery import classes_in
from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan

#: Entry points of plug-ins with checks.
ENTRY_POINTS = "ruvelt.checks"
_LEVELS = {"blocks": 0, "warns": 1}
_log = logging.getLogger(__name__)


@lru_cache(maxsize=1)
def checks() -> tuple[Check, ...]:
    """One file each in `checks`, and those of plug-ins."""
    found = classes_in("ruvelt.core.inspect.checks", Check, ENTRY_POINTS).values()
    return tuple(c() for c in sorted(found, key=lambda c: (c.rank, c.id)))


def find_problems(model: Model, sheets: list[SheetPlan]) -> list[Finding]:
    """Every finding of the model and its sheets, worst first. A check of a plug-in that fails is reported and finds nothing."""
    found = []
    for check in checks():
        if check.needs_uvs and not model.uv_layouts:
            continue
        try:
            finding = check.find(model, sheets)
        except Exception:
            if type(check).__module__.startswith("ruvelt.core."):
                raise
            _log.exception("the check '%s' failed", check.id)
            continue
        if finding is not None:
            found.append(finding)
    return sorted(found, key=lambda f: _LEVELS.get(f.level, 1))
