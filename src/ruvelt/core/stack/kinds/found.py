"""Kinds in the order of menus, and what becomes of kinds that are not known."""

from __future__ import annotations

import json
from typing import Any, TypeVar

from pydantic import ValidationInfo

from ruvelt.core.discovery import classes_in
from ruvelt.core.stack.kinds.described import Described

K = TypeVar("K", bound=Described)
#: Entry points of plug-ins with kinds.
ENTRY_POINTS = "ruvelt.kinds"
GROUPS = ("hand", "surface", "pattern", "other", "shaper", "content", "adjust")


def kinds_in(folder: str, base: type[K]) -> tuple[type[K], ...]:
    """Kinds of a base in a folder's files and in plug-ins, in the order of menus."""
    found = classes_in(f"{__package__}.{folder}", base, ENTRY_POINTS).values()
    return tuple(sorted(found, key=lambda k: (GROUPS.index(k.group), k.rank, k.kind_id())))


def kept_unknown(value: Any, info: ValidationInfo, known: dict[str, Any]) -> Any:
    """A step as it is read: one of a stored project whose kind is not known here is kept whole as `unknown`, and becomes itself again once it is.

    Elsewhere what is not known stays an error.
    """
    if not isinstance(value, dict):
        return value
    kind = value.get("kind")
    own = {name: value[name] for name in ("id", "on", "strength") if name in value}
    if kind == "unknown" and value.get("of") in known and isinstance(value.get("held"), str):
        try:
            held = {**json.loads(value["held"]), **own}
            known[value["of"]].model_validate(held)
        except (ValueError, TypeError, RecursionError):
            # Of another version of the plug-in: it stays what it was.
            return value
        return held
    stored = isinstance(info.context, dict) and info.context.get("stored", False)
    if stored and isinstance(kind, str) and kind not in known and kind != "unknown":
        return {"kind": "unknown", "of": kind, "held": json.dumps(value), **own}
    return value
