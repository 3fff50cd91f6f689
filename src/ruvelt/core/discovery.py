"""Finding what is one file each: in a folder of the core, and in installed packages that name theirs as entry points."""

from __future__ import annotations

import importlib
import logging
import pkgutil
from functools import lru_cache
from importlib.metadata import entry_points
from types import ModuleType
from typing import Any, TypeVar

C = TypeVar("C")
_log = logging.getLogger(__name__)


def _modules(folder: str) -> list[ModuleType]:
    package = importlib.import_module(folder)
    return [importlib.import_module(f"{package.__name__}.{m.name}") for m in pkgutil.iter_modules(package.__path__)]


@lru_cache(maxsize=8)
def plug_ins(group: str) -> tuple[ModuleType, ...]:
    """Modules of installed packages under a group of entry points. One that cannot be read is reported and left out."""
    found = []
    for entry in entry_points(group=group):
        try:
            found.append(entry.load())
        except Exception:
            _log.exception("the plug-in '%s' could not be loaded and is left out", entry.name)
    return tuple(found)


def modules_in(folder: str, group: str) -> tuple[ModuleType, ...]:
    """A package's files, then the modules of plug-ins under a group of entry points."""
    return (*_modules(folder), *plug_ins(group))


def classes_in(folder: str, base: type[C], group: str) -> dict[str, type[C]]:
    """Classes of a package's files, then of plug-ins, that are derived from a base and have an id, by that. A plug-in's never replaces one."""
    found: dict[str, type[C]] = {}
    for module in modules_in(folder, group):
        for value in vars(module).values():
            if not (isinstance(value, type) and issubclass(value, base) and value.__module__ == module.__name__):
                continue
            name = _id_of(value)
            if name and found.setdefault(name, value) is not value:
                _log.warning("'%s' of %s is there already; it is left out", name, module.__name__)
    return found


def _id_of(kind: Any) -> str:
    return str(kind.kind_id())
