"""The hand tools there are, in the order of the rail."""

from __future__ import annotations

from functools import lru_cache

from ruvelt.core.brush.hand_tool import HandTool
from ruvelt.core.discovery import classes_in

#: Entry points of plug-ins with tools.
ENTRY_POINTS = "ruvelt.tools"


@lru_cache(maxsize=1)
def hand_tools() -> dict[str, HandTool]:
    """By id: one file each in `tools`, and those of plug-ins."""
    found = sorted(classes_in("ruvelt.core.brush.tools", HandTool, ENTRY_POINTS).values(), key=lambda t: (t.rank, t.id))
    return {t.id: t() for t in found}


def own_tools() -> tuple[str, ...]:
    """Ids of tools whose strokes lay what they work out."""
    return tuple(t.id for t in hand_tools().values() if t.stroke == "own")
