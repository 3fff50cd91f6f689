"""PLY, text or binary, through `plyfile`; polygons and vertex colours are kept."""

from __future__ import annotations

import io
from collections.abc import Mapping

import numpy as np
from plyfile import PlyData, PlyElementParseError, PlyHeaderParseError

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Material, Model, TextureCoords


def _check_counts(data: bytes) -> None:
    """Refuse a header that declares more than the file can hold, before anything is allocated for it."""
    end = data.find(b"end_header")
    if not data.startswith(b"ply") or end < 0 or end > 65_536:
        raise InputError("This is not a PLY file (its header is missing or broken). Export it again.")
    left = len(data) - end
    for line in data[:end].split(b"\n"):
        words = line.split()
        if len(words) == 3 and words[0] == b"element":
            try:
                count = int(words[2])
            except ValueError:
                raise InputError("The PLY header has a count that is not a number. Export it again.") from None
            if count < 0 or count * 2 > left:
                raise InputError(
                    f"The PLY header promises {count:,} of '{words[1].decode('utf-8', 'replace')[:20]}', more than the file can hold. "
                    "The file is cut off or damaged; export it again."
                )


def read(data: bytes, name: str, companions: Mapping[str, bytes]) -> Model:
    _check_counts(data)
    try:
        ply = PlyData.read(io.BytesIO(data))
        vertex, face = ply["vertex"].data, ply["face"].data
        positions = np.stack([vertex[a] for a in "xyz"], axis=1).astype(np.float32)
        list_name = next(n for n in ("vertex_indices", "vertex_index") if n in face.dtype.names)
        loops = list(face[list_name])
    except (PlyElementParseError, PlyHeaderParseError, UnicodeDecodeError) as error:
        raise InputError(f"The PLY file is damaged or cut off ({error}). Export it again.") from None
    except (KeyError, ValueError, StopIteration, TypeError, MemoryError, OverflowError, IndexError):
        raise InputError("The PLY file lacks vertex positions or faces. Export it as a mesh, with x, y, z and vertex_indices.") from None
    if not loops:
        raise InputError("The PLY holds no faces. Export it as a mesh, not as points.")
    sizes = np.array([len(loop) for loop in loops], np.int64)
    fields = vertex.dtype.names
    uv = next((pair for pair in (("s", "t"), ("u", "v"), ("texture_u", "texture_v")) if set(pair) <= set(fields)), None)
    joined = np.concatenate(loops).astype(np.int64)
    if joined.size and (joined.min() < 0 or joined.max() >= len(positions)):
        raise InputError(f"A PLY face points at a vertex that does not exist (there are {len(positions)}). Export it again.")
    corner_vertex = joined.astype(np.int32)
    layouts = (TextureCoords("UV", np.stack([vertex[a] for a in uv], axis=1).astype(np.float32), corner_vertex.copy()),) if uv else ()
    return Model(
        name=name,
        positions=positions,
        face_starts=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32),
        corner_vertex=corner_vertex,
        parts=(name,),
        face_part=np.zeros(len(sizes), np.int32),
        materials=(Material("Default"),),
        face_material=np.zeros(len(sizes), np.int32),
        uv_layouts=layouts,
        vertex_colors=_colors(vertex),
    )


def _colors(vertex: np.ndarray) -> np.ndarray | None:
    fields = vertex.dtype.names or ()
    if not {"red", "green", "blue"} <= set(fields):
        return None
    channels = []
    for channel in ("red", "green", "blue", "alpha"):
        if channel not in fields:
            channels.append(np.ones(len(vertex), np.float32))
            continue
        values = vertex[channel]
        top = np.iinfo(values.dtype).max if np.issubdtype(values.dtype, np.integer) else 1.0
        channels.append(np.clip(values.astype(np.float32) / np.float32(top), 0, 1))
    return np.stack(channels, axis=1).astype(np.float32)
