"""PLY, text or binary, through `plyfile`; polygons and vertex colours are kept."""

from __future__ import annotations

import io
import tempfile
from collections.abc import Mapping

import numpy as np
from plyfile import PlyData, PlyElementParseError, PlyHeaderParseError

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import Material, Note, PictureFile, PictureUse, counted
from ruvelt.core.mesh.model import Model, TextureCoords, VertexNumbers
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.asset import Asset
from ruvelt.core.mesh.readers.companions import Companions

#: Bytes of PLY's number types; a value in text takes two at the least, itself and a space.
_TYPES = {"char": 1, "uchar": 1, "short": 2, "ushort": 2, "int": 4, "uint": 4, "float": 4, "double": 8}
#: What vertices have beside numbers that the artist may want, and how many of those are taken.
_KNOWN = {*"xyz", "nx", "ny", "nz", "red", "green", "blue", "alpha", *"stuv", "texture_u", "texture_v"}
MOST_NUMBERS = 32
_TYPES |= {"int8": 1, "uint8": 1, "int16": 2, "uint16": 2, "int32": 4, "uint32": 4, "float32": 4, "float64": 8}


def _check_counts(data: bytes, allowance: Allowance) -> None:
    """Refuse a header that declares more than the file can hold, or more than may be taken, before anything is allocated for it."""
    end = data.find(b"end_header")
    if not data.startswith(b"ply") or end < 0 or end > 65_536:
        raise InputError("This is not a PLY file (its header is missing or broken). Export it again.")
    left = len(data) - end
    text = b"format ascii" in data[:end]
    elements: list[tuple[str, int, int, int]] = []  # name, count, least bytes in the file, properties
    for line in data[:end].split(b"\n"):
        words = [w.decode("utf-8", "replace") for w in line.split()]
        if len(words) == 3 and words[0] == "element":
            try:
                elements.append((words[1][:20], int(words[2]), 0, 0))
            except ValueError:
                raise InputError("The PLY header has a count that is not a number. Export it again.") from None
        elif len(words) >= 3 and words[0] == "property" and elements:
            name, count, size, properties = elements[-1]
            elements[-1] = (name, count, size + (2 if text else _TYPES.get(words[2] if words[1] == "list" else words[1], 1)), properties + 1)
    for name, count, size, properties in elements:
        if count < 0 or count * max(size, 1) > left:
            raise InputError(
                f"The PLY header promises {count:,} of '{name}', more than the file can hold. The file is cut off or damaged; export it again."
            )
        # A list becomes an array of its own for every row.
        allowance.take(count * (properties * 16 + (200 if name == "face" else 100)), f"{count:,} of '{name}'")


def read(data: bytes, name: str, companions: Mapping[str, bytes], allowance: Allowance) -> Asset:
    _check_counts(data, allowance)
    try:
        ply = _parsed(data)
        vertex, face = ply["vertex"].data, ply["face"].data
        positions = np.stack([vertex[a] for a in "xyz"], axis=1).astype(np.float32)
        list_name = next(n for n in ("vertex_indices", "vertex_index") if n in face.dtype.names)
        loops = face[list_name]
    except (PlyElementParseError, PlyHeaderParseError, UnicodeDecodeError) as error:
        raise InputError(f"The PLY file is damaged or cut off ({error}). Export it again.") from None
    except (KeyError, ValueError, StopIteration, TypeError, MemoryError, OverflowError, IndexError):
        raise InputError("The PLY file lacks vertex positions or faces. Export it as a mesh, with x, y, z and vertex_indices.") from None
    if not len(loops):
        raise InputError("The PLY holds no faces. Export it as a mesh, not as points.")
    allowance.pause()
    alike = loops.ndim == 2
    sizes = np.full(len(loops), loops.shape[1]) if alike else np.array([len(loop) for loop in loops], np.int64)
    fields = vertex.dtype.names
    uv = next((pair for pair in (("s", "t"), ("u", "v"), ("texture_u", "texture_v")) if set(pair) <= set(fields)), None)
    joined = (loops.reshape(-1) if alike else np.concatenate(list(loops))).astype(np.int64)
    if joined.size and (joined.min() < 0 or joined.max() >= len(positions)):
        raise InputError(f"A PLY face points at a vertex that does not exist (there are {len(positions)}). Export it again.")
    corner_vertex = joined.astype(np.int32)
    layouts: tuple[TextureCoords, ...] = (
        (TextureCoords("UV", np.stack([vertex[a] for a in uv], axis=1).astype(np.float32), corner_vertex.copy(), 0),) if uv else ()
    )
    notes: list[Note] = []
    if "texcoord" in (face.dtype.names or ()):
        layouts = _face_uvs(face, sizes, notes) or layouts
    names = _picture_names(ply)
    face_material = _face_pictures(face, len(sizes), len(names))
    pictures, uses = _pictures(names, Companions(companions), notes)
    model = Model(
        name=name,
        positions=positions,
        face_starts=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32),
        corner_vertex=corner_vertex,
        parts=(name,),
        face_part=np.zeros(len(sizes), np.int32),
        materials=tuple(Material(n.rsplit(".", 1)[0] or "Default") for n in names) or (Material("Default"),),
        face_material=face_material,
        uv_layouts=layouts,
        vertex_colors=_colors(vertex),
        vertex_numbers=_numbers(vertex, uv or ()),
        notes=tuple(notes),
    )
    return Asset(model, pictures, uses)


def _parsed(data: bytes) -> PlyData:
    """Faces that all have as many corners, as of dense meshes, are read as one table: row by row a million takes twenty seconds."""
    head = data[: data.find(b"end_header")].decode("utf-8", "replace")
    lists = [line.split()[-1] for line in head.split("\n") if line.startswith("property list")]
    if "format ascii" not in head and lists in (["vertex_indices"], ["vertex_index"]):
        with tempfile.TemporaryFile() as file:
            file.write(data)
            for count in (3, 4):
                file.seek(0)
                try:
                    found = PlyData.read(file, known_list_len={"face": {lists[0]: count}})
                except PlyElementParseError:
                    continue
                found["face"].data = np.array(found["face"].data)
                return found
    return PlyData.read(io.BytesIO(data))


def _numbers(vertex: np.ndarray, uv: tuple[str, ...]) -> tuple[VertexNumbers, ...]:
    """Real numbers of vertices under other names; `_r`, `_g` and `_b` of one name are a colour."""
    fields = [n for n in vertex.dtype.names or () if n not in _KNOWN | set(uv) and vertex.dtype[n].kind == "f"]
    found: dict[str, tuple[str, ...]] = {}
    for field in fields:
        parts = tuple(field[:-2] + letter for letter in ("_r", "_g", "_b"))
        if field in parts and set(parts) <= set(fields):
            found[field[:-2]] = parts
        else:
            found[field] = (field,)
    taken = list(found.items())[:MOST_NUMBERS]
    numbers = [VertexNumbers(name, np.stack([vertex[p] for p in parts], axis=1).astype(np.float32)) for name, parts in taken]
    if "alpha" in (vertex.dtype.names or ()) and "opacity" not in found:
        alpha = _shares(vertex["alpha"])[:, None]
        numbers += [VertexNumbers("opacity", alpha)] if (alpha < 1).any() else []
    return tuple(numbers)


def _face_uvs(face: np.ndarray, sizes: np.ndarray, notes: list[Note]) -> tuple[TextureCoords, ...]:
    """Texture coordinates that faces hold for each of their corners; faces without enough of them have none."""
    lists = list(face["texcoord"])
    enough = np.array([len(row) >= 2 * n for row, n in zip(lists, sizes, strict=True)], bool)
    if not enough.any():
        notes.append(Note("File", "left out", "Texture coordinates of faces: there are fewer than corners."))
        return ()
    if not enough.all():
        notes.append(Note("File", "left out", f"Texture coordinates of {counted(int((~enough).sum()), 'face')}: there are fewer than corners."))
    rows = [np.asarray(row[: 2 * n], np.float32) if good else np.zeros(2 * n, np.float32) for row, n, good in zip(lists, sizes, enough, strict=True)]
    corners = np.where(np.repeat(enough, sizes), np.arange(int(sizes.sum())), -1).astype(np.int32)
    return (TextureCoords("UV", np.concatenate(rows).reshape(-1, 2), corners, 0),)


def _picture_names(ply: PlyData) -> list[str]:
    """Pictures named in the header's comments, as scanning programs write them."""
    found = []
    for comment in ply.comments:
        words = comment.split(None, 1)
        if len(words) == 2 and words[0].lower() == "texturefile":
            found.append(words[1].strip()[:200])
    return found


def _face_pictures(face: np.ndarray, count: int, pictures: int) -> np.ndarray:
    """(f,) int32: the picture of each face."""
    if "texnumber" not in (face.dtype.names or ()) or pictures < 2:
        return np.zeros(count, np.int32)
    return np.clip(np.nan_to_num(face["texnumber"].astype(np.float64)), 0, pictures - 1).astype(np.int32)


def _pictures(names: list[str], beside: Companions, notes: list[Note]) -> tuple[tuple[PictureFile, ...], tuple[tuple[PictureUse, ...], ...]]:
    pictures: list[PictureFile] = []
    uses: list[tuple[PictureUse, ...]] = []
    for name in names:
        data = beside.find(name)
        if data is None:
            notes.append(Note("File", "left out", f"The picture '{name}' did not come along. Choose it together with the mesh."))
            uses.append(())
            continue
        uses.append((PictureUse("base_color", len(pictures), low=(0.0,) * 3, high=(1.0,) * 3),))
        pictures.append(PictureFile(name.replace("\\", "/").split("/")[-1][:80], data))
    return tuple(pictures), tuple(uses) or ((),)


def _colors(vertex: np.ndarray) -> np.ndarray | None:
    fields = vertex.dtype.names or ()
    if not {"red", "green", "blue"} <= set(fields):
        return None
    channels = []
    for channel in ("red", "green", "blue", "alpha"):
        if channel not in fields:
            channels.append(np.ones(len(vertex), np.float32))
            continue
        channels.append(_shares(vertex[channel]))
    return np.stack(channels, axis=1).astype(np.float32)


def _shares(values: np.ndarray) -> np.ndarray:
    """(n,) float32 0–1 of a component of a colour, whatever its type."""
    top = np.iinfo(values.dtype).max if np.issubdtype(values.dtype, np.integer) else 1.0
    return np.asarray(np.clip(values.astype(np.float32) / np.float32(top), 0, 1), np.float32)


def referenced(data: bytes) -> list[str]:
    """Names of the pictures that the header mentions."""
    head = data[: max(data.find(b"end_header"), 0)].decode("utf-8", "replace")
    return [line.split(None, 2)[2].strip() for line in head.split("\n") if line.lower().startswith("comment texturefile ")]


READS = {".ply": read}
REFERS = {".ply": referenced}
