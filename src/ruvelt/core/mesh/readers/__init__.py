"""Mesh files to `Model`. A new format is one file here: `READS` names its suffixes, `REFERS` finds what a file wants beside it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from pathlib import PurePath
from typing import Any

from ruvelt.core.discovery import modules_in
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.asset import Asset
from ruvelt.core.mesh.readers.companions import plain_path

#: Files beside the main one (an .mtl, a .bin, pictures), by their name.
Files = Mapping[str, bytes]

#: Entry points of plug-ins with formats.
ENTRY_POINTS = "ruvelt.readers"
Read = Callable[[bytes, str, Files, Allowance], Asset]
Refer = Callable[[bytes], list[str]]


def _found(what: str) -> dict[str, Any]:
    """By suffix what the files of this folder, and plug-ins, say under a name. A plug-in never takes a suffix from them."""
    found: dict[str, Any] = {}
    for module in modules_in(__name__, ENTRY_POINTS):
        found = {**getattr(module, what, {}), **found}
    return found


READERS: dict[str, Read] = _found("READS")
#: What a file of each kind wants beside it.
_REFERENCED: dict[str, Refer] = _found("REFERS")


def read_asset(data: bytes, filename: str, companions: Files | None = None, allowance: Allowance | None = None) -> Asset:
    """Read one mesh file with its pictures. `filename` gives the format and the fallback name; it is never opened.

    Raises InputError with what to do when the bytes are not a mesh of that format, or would take more memory than the allowance has.
    """
    path = PurePath(filename.replace("\\", "/"))
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        known = ", ".join(sorted(READERS))
        raise InputError(f"'{path.name}' is not a mesh format that can be read. Use one of {known}.")
    if not data:
        raise InputError(f"'{path.name}' is empty. Export it again.")
    asset = reader(data, path.stem or "Model", companions or {}, allowance or Allowance())
    model = asset.model.checked()
    return asset if model is asset.model else replace(asset, model=model)


def read_mesh(data: bytes, filename: str, companions: Files | None = None, allowance: Allowance | None = None) -> Model:
    """The model alone of one mesh file; see `read_asset`."""
    return read_asset(data, filename, companions, allowance).model


def wanted_beside(data: bytes, filename: str) -> list[str]:
    """Paths, relative to it, of the files that a mesh or material file names; none of them leads out of its folder."""
    find = _REFERENCED.get(PurePath(filename).suffix.lower())
    return [] if find is None else [p for p in (plain_path(uri) for uri in find(data)) if p]
