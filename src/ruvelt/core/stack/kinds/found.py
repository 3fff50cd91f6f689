"""Kinds in the order of menus, and what becomes of kinds that are not known."""

from __future__ import annotations

import json
import logging
from typing import Any, TypeVar

from pydantic import ValidationInfo

from ruvelt.core.discovery import classes_in
from ruvelt.core.stack.kinds.described import Described

K = TypeVar("K", bound=Described)
#: Entry points of plug-ins with kinds.
ENTRY_POINTS = "ruvelt.kinds"
_log = logging.getLogger(__name__)
GROUPS = ("hand", "surface", "pattern", "other", "shaper", "content", "adjust")


def _fits(kind: type[Described]) -> bool:
    """Whether a kind can be listed; one of a plug-in that cannot is reported and left out, so that nothing else goes with it."""
    required = [n for n, f in kind.model_fields.items() if f.is_required() and n != "id"]
    own = kind.__module__.startswith("ruvelt.core.")
    if own or (kind.group in GROUPS and kind.kind_id() != "unknown" and kind.label and not required):
        return True
    _log.error("the kind '%s' of %s has no label, no known group, or fields without a first value; it is left out", kind.kind_id(), kind.__module__)
    return False


def kinds_in(folder: str, base: type[K]) -> tuple[type[K], ...]:
    """Kinds of a base in a folder's files and in plug-ins, in the order of menus."""
    found = [k for k in classes_in(f"{__package__}.{folder}", base, ENTRY_POINTS).values() if _fits(k)]
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
