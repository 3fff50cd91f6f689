"""Finding kinds: in a folder of this package, and in installed packages that name theirs under the entry points `ruvelt.kinds`."""

from __future__ import annotations

import importlib
import json
import logging
import pkgutil
from functools import lru_cache
from importlib.metadata import entry_points
from types import ModuleType
from typing import Any, TypeVar

from pydantic import ValidationInfo

from ruvelt.core.stack.kinds.described import Described

K = TypeVar("K", bound=Described)
GROUPS = ("hand", "surface", "pattern", "other", "shaper", "content", "adjust")
ENTRY_POINTS = "ruvelt.kinds"
_log = logging.getLogger(__name__)


def _modules(folder: str) -> list[ModuleType]:
    package = importlib.import_module(f"ruvelt.core.stack.kinds.{folder}")
    return [importlib.import_module(f"{package.__name__}.{m.name}") for m in pkgutil.iter_modules(package.__path__)]


@lru_cache(maxsize=1)
def plug_ins() -> tuple[ModuleType, ...]:
    """Modules of installed packages that hold kinds. One that cannot be read is reported and left out."""
    found = []
    for entry in entry_points(group=ENTRY_POINTS):
        try:
            found.append(entry.load())
        except Exception:
            _log.exception("the plug-in '%s' could not be loaded and is left out", entry.name)
    return tuple(found)


def kinds_in(folder: str, base: type[K]) -> tuple[type[K], ...]:
    """Classes of a folder's files and of plug-ins that are kinds of a base, in the order of menus. A plug-in's never replaces a kind."""
    found: dict[str, type[K]] = {}
    for module in (*_modules(folder), *plug_ins()):
        for value in vars(module).values():
            own = isinstance(value, type) and issubclass(value, base) and value.__module__ == module.__name__
            if own and "kind" in value.model_fields and found.setdefault(value.kind_id(), value) is not value:
                _log.warning("the kind '%s' of %s is there already; it is left out", value.kind_id(), module.__name__)
    return tuple(sorted(found.values(), key=lambda k: (GROUPS.index(k.group), k.rank, k.kind_id())))


def kept_unknown(value: Any, info: ValidationInfo, known: dict[str, Any]) -> Any:
    """A step as it is read: one of a stored project whose kind is not known here is kept whole as `unknown`, and becomes itself again once it is.

    Elsewhere what is not known stays an error.
    """
    if not isinstance(value, dict):
        return value
    kind = value.get("kind")
    if kind == "unknown" and value.get("of") in known and isinstance(value.get("held"), str):
        return json.loads(value["held"])
    stored = isinstance(info.context, dict) and info.context.get("stored", False)
    if stored and isinstance(kind, str) and kind not in known and kind != "unknown":
        return {"kind": "unknown", "of": kind, "held": json.dumps(value), **({"id": value["id"]} if "id" in value else {})}
    return value
