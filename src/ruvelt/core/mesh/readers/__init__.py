"""Mesh files to `Model`. A new format is one file here with a `read` function, named in READERS."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from pathlib import PurePath

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import gltf, obj, ply, stl
from ruvelt.core.mesh.readers.allowance import Allowance

#: Files beside the main one (an .mtl, a .bin), by their bare name.
Companions = Mapping[str, bytes]

READERS: dict[str, Callable[[bytes, str, Companions, Allowance], Model]] = {
    ".obj": obj.read,
    ".glb": gltf.read,
    ".gltf": gltf.read,
    ".ply": ply.read,
    ".stl": stl.read,
}


def read_mesh(data: bytes, filename: str, companions: Companions | None = None, allowance: Allowance | None = None) -> Model:
    """Read one mesh file. `filename` gives the format and the fallback name; it is never opened.

    Raises InputError with what to do when the bytes are not a mesh of that format, or would take more memory than the allowance has.
    """
    path = PurePath(filename.replace("\\", "/"))
    reader = READERS.get(path.suffix.lower())
    if reader is None:
        known = ", ".join(sorted(READERS))
        raise InputError(f"'{path.name}' is not a mesh format that can be read. Use one of {known}.")
    if not data:
        raise InputError(f"'{path.name}' is empty. Export it again.")
    return reader(data, path.stem or "Model", companions or {}, allowance or Allowance()).checked()
