"""STL, binary or text, through `trimesh`. Corners at one place become one vertex again; STL has no other connection."""

from __future__ import annotations

import io
import struct
from collections.abc import Mapping

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.asset import Asset
from ruvelt.core.mesh.rows import equal_rows


def read(data: bytes, name: str, companions: Mapping[str, bytes], allowance: Allowance) -> Asset:
    soup = _binary(data, allowance)
    if soup is None:
        soup = _text(data, allowance)
    if len(soup) == 0:
        raise InputError("The STL holds no triangles. Export it again.")
    flat = np.ascontiguousarray(soup.reshape(-1, 3) + np.float32(0))
    # Vertices keep the order in which the file first names them.
    corner_vertex, first = equal_rows(flat)
    count = len(soup)
    model = Model(
        name=name,
        positions=flat[first],
        face_starts=np.arange(0, 3 * count + 1, 3, dtype=np.int32),
        corner_vertex=corner_vertex,
        parts=(name,),
        face_part=np.zeros(count, np.int32),
        materials=(Material("Default"),),
        face_material=np.zeros(count, np.int32),
    )
    return Asset(model)


def _binary(data: bytes, allowance: Allowance) -> np.ndarray | None:
    """(n, 3, 3) float32 when the length fits the declared count exactly, else None."""
    if len(data) < 84 or len(data) != 84 + 50 * struct.unpack_from("<I", data, 80)[0]:
        return None
    count = (len(data) - 84) // 50
    allowance.take_mesh(3 * count, 3 * count)
    # Imported where it is used: it would cost every start most of a second.
    from trimesh.exchange.stl import load_stl_binary

    loaded = load_stl_binary(io.BytesIO(data))
    soup: np.ndarray = np.asarray(loaded["vertices"], np.float32)[np.asarray(loaded["faces"])]
    return soup


def _text(data: bytes, allowance: Allowance) -> np.ndarray:
    if not data.lstrip()[:5].lower() == b"solid" or b"facet" not in data[:100_000]:
        raise InputError("This is not an STL file, or it is cut off (its size does not fit its triangle count). Export it again.")
    # A corner takes eight bytes of text at the least.
    allowance.take_mesh(len(data) // 8, len(data) // 8)
    from trimesh.exchange.stl import load_stl_ascii

    try:
        # Names may be in any encoding; what is no UTF-8 in them would have to be guessed.
        loaded = load_stl_ascii(io.BytesIO(data.decode("utf-8", "replace").encode()))
        geometry = list(loaded["geometry"].values()) if "geometry" in loaded else [loaded]
        return np.concatenate([np.asarray(g["vertices"], np.float32)[np.asarray(g["faces"])] for g in geometry])
    except (ValueError, KeyError, IndexError, TypeError):
        raise InputError("The STL text is damaged. Export it again, as binary if you can.") from None


READS = {".stl": read}
