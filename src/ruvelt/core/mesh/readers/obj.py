"""Wavefront OBJ with MTL. Our own reader, because it must keep polygons, objects, groups and vertex order apart."""

from __future__ import annotations

import io
from array import array
from collections.abc import Iterator, Mapping

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import Note
from ruvelt.core.mesh.model import FaceGroup, Model, TextureCoords
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.asset import Asset
from ruvelt.core.mesh.readers.companions import Companions
from ruvelt.core.mesh.readers.obj_materials import MtlReader

#: Lines between two looks at whether somebody wants to stop.
LINES_A_LOOK = 20_000
#: Numbers read between two askings for memory.
GROWN = 300_000


def _bad(line_number: int, line: str, why: str) -> InputError:
    line = line.strip()
    shown = line if len(line) <= 60 else line[:57] + "…"
    return InputError(f"OBJ line {line_number}: {why} ('{shown}'). Export the mesh again.")


class _Names:
    """Names in order of first use, each with its index."""

    def __init__(self) -> None:
        self.index: dict[str, int] = {}

    def get(self, name: str) -> int:
        return self.index.setdefault(name, len(self.index))


def _lines(data: bytes, allowance: Allowance) -> Iterator[tuple[int, str]]:
    """Lines with their numbers, one after the other, those joined that end in a backslash; stops when asked to."""
    begun, first = "", 0
    for number, line in enumerate(io.TextIOWrapper(io.BytesIO(data), "utf-8", "replace"), 1):
        if number % LINES_A_LOOK == 0:
            allowance.pause()
        if line.endswith("\\\n"):
            begun, first = begun + line[:-2] + " ", first or number
            continue
        yield first or number, begun + line
        begun, first = "", 0
    if begun:
        yield first, begun


def read(data: bytes, name: str, companions: Mapping[str, bytes], allowance: Allowance) -> Asset:
    """Read OBJ text. Objects ('o') become parts, groups ('g') face groups, 'usemtl' material slots; quads stay quads."""
    if b"\0" in data[:4096]:
        raise InputError("This is not OBJ text (it holds binary data). Choose the file with the right ending or export it again.")
    # Plain numbers side by side: a list would hold an object for each of them.
    v, colors, vt, vn = array("d"), array("d"), array("d"), array("d")
    sizes, corner_v, corner_t, corner_n, face_part, face_material = (array("q") for _ in range(6))
    parts, materials = _Names(), _Names()
    groups: dict[str, array[int]] = {}
    part, material, open_groups = -1, -1, ["default"]
    libraries: list[str] = []

    told = [0, 0]
    for number, line in _lines(data, allowance):
        if len(v) - told[0] > GROWN or len(corner_v) - told[1] > GROWN:
            allowance.take_mesh((len(v) - told[0]) // 3, len(corner_v) - told[1])
            told = [len(v), len(corner_v)]
        words = line.split()
        if not words or words[0].startswith("#"):
            continue
        key, rest = words[0], words[1:]
        try:
            if key == "v":
                if len(rest) < 3:
                    raise _bad(number, line, "a vertex needs three numbers")
                v.extend((float(rest[0]), float(rest[1]), float(rest[2])))
                if len(rest) >= 6:
                    colors.extend((float(rest[3]), float(rest[4]), float(rest[5])))
            elif key == "vt":
                vt.extend((float(rest[0]), float(rest[1]) if len(rest) > 1 else 0.0))
            elif key == "vn":
                vn.extend((float(rest[0]), float(rest[1]), float(rest[2])))
            elif key == "f":
                if len(rest) < 3:
                    raise _bad(number, line, "a face needs three corners or more")
                nv, nt, nn = len(v) // 3, len(vt) // 2, len(vn) // 3
                for word in rest:
                    fields = word.split("/")
                    corner_v.append(_index(fields[0], nv, "vertex", number, line))
                    corner_t.append(_index(fields[1], nt, "UV", number, line) if len(fields) > 1 and fields[1] else -1)
                    corner_n.append(_index(fields[2], nn, "normal", number, line) if len(fields) > 2 and fields[2] else -1)
                if part < 0:
                    part = parts.get(name)
                if material < 0:
                    material = materials.get("Default")
                for group in open_groups:
                    groups.setdefault(group, array("q")).append(len(sizes))
                face_part.append(part)
                face_material.append(material)
                sizes.append(len(rest))
            elif key == "o":
                part = parts.get(" ".join(rest) or name)
            elif key == "g":
                open_groups = rest or ["default"]
            elif key == "usemtl":
                material = materials.get(" ".join(rest) or "Default")
            elif key == "mtllib":
                libraries.append(" ".join(rest))
        except (ValueError, IndexError):
            raise _bad(number, line, "a number is missing or cannot be read") from None

    if not sizes:
        raise InputError("The OBJ holds no faces. Export the mesh with its faces and bring it in again.")
    count = len(v) // 3
    beside, notes = Companions(companions), list[Note]()
    reader = MtlReader(beside, notes)
    for library in libraries:
        found = beside.find(library)
        if found is None:
            notes.append(Note("File", "left out", f"'{library}' did not come along with the mesh, so its materials are plain grey."))
        else:
            reader.read(found.decode("utf-8", "replace"))
    made = [reader.material(m) for m in materials.index]
    corner_uv = np.array(corner_t, np.int32)
    normal_of = np.array(corner_n, np.int32)
    model = Model(
        name=name,
        positions=np.array(v, np.float32).reshape(-1, 3),
        face_starts=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32),
        corner_vertex=np.array(corner_v, np.int32),
        parts=tuple(parts.index),
        face_part=np.array(face_part, np.int32),
        materials=tuple(m for m, _ in made),
        face_material=np.array(face_material, np.int32),
        groups=tuple(FaceGroup(g, np.array(f, np.int32)) for g, f in groups.items() if g != "default" or len(groups) > 1),
        uv_layouts=(TextureCoords("UV", np.array(vt, np.float32).reshape(-1, 2), corner_uv, 0),) if (corner_uv >= 0).any() else (),
        vertex_colors=_vertex_colors(colors, count, notes),
        file_normals=_corner_normals(vn, normal_of),
        notes=tuple(notes),
    )
    return Asset(model, tuple(reader.pictures), tuple(uses for _, uses in made))


def _index(word: str, count: int, what: str, number: int, line: str) -> int:
    i = int(word)
    i = i - 1 if i > 0 else count + i
    if not 0 <= i < count:
        raise _bad(number, line, f"it names {what} {word}, but only {count} are defined above it")
    return i


def _vertex_colors(values: array[float], count: int, notes: list[Note]) -> np.ndarray | None:
    if len(values) != count * 3 or not count:
        if values:
            text = f"Vertex colours: only {len(values) // 3:,} of {count:,} vertices have one. Export all of them with colours."
            notes.append(Note("File", "left out", text))
        return None
    rgb = np.clip(np.array(values, np.float32).reshape(-1, 3), 0, 1)
    return np.concatenate([rgb, np.ones((count, 1), np.float32)], axis=1)


def _corner_normals(values: array[float], index: np.ndarray) -> np.ndarray | None:
    if not values or (index < 0).any():
        return None
    normals = np.array(values, np.float32).reshape(-1, 3)
    length = np.linalg.norm(normals, axis=1, keepdims=True)
    if not np.isfinite(length).all() or (length == 0).any():
        return None
    return np.ascontiguousarray((normals / length)[index])


def referenced(data: bytes) -> list[str]:
    """Names of the material libraries that an OBJ wants."""
    return [line[6:].strip().decode("utf-8", "replace") for line in data.split(b"\n") if line.startswith(b"mtllib")]


READS = {".obj": read}
REFERS = {".obj": referenced}
