"""Primitives compressed as KHR_draco_mesh_compression says, through `DracoPy`."""

from __future__ import annotations

from typing import Any

import DracoPy
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.gltf_buffers import COMPONENT, WIDTH, Buffers, item
from ruvelt.core.mesh.readers.gltf_document import Document, Primitive

EXTENSION = "KHR_draco_mesh_compression"


class DracoParts:
    """Unpacks primitives, each once."""

    def __init__(self, document: Document, buffers: Buffers, allowance: Allowance) -> None:
        self._document, self._buffers, self._allowance = document, buffers, allowance
        self._known: dict[int, Any] = {}

    def array(self, primitive: Primitive, name: str, width: int) -> NDArray[Any] | None:
        """(n, width) values of an attribute; None where the primitive is not compressed or keeps this attribute outside."""
        mesh, ids = self._mesh(primitive)
        if mesh is None or name not in ids:
            return None
        accessor = item(self._document.accessors, primitive.attributes[name], "accessor")
        found = next((a["data"] for a in mesh.attributes if a["unique_id"] == ids[name]), None)
        if found is None or WIDTH.get(accessor.type) != width or np.asarray(found).reshape(len(found), -1).shape[1] != width:
            raise _damaged()
        values = np.asarray(found).reshape(len(found), width)
        if accessor.normalized and values.dtype.kind in "iu":
            top = float(np.iinfo(COMPONENT[accessor.componentType]).max)  # type: ignore[type-var]
            return np.asarray(np.maximum(values.astype(np.float64) / top, -1), np.float32)
        return values

    def triangles(self, primitive: Primitive) -> NDArray[np.int64] | None:
        """(t, 3) int64 vertices; None where the primitive is not compressed."""
        mesh, _ = self._mesh(primitive)
        return None if mesh is None else np.asarray(mesh.faces, np.int64).reshape(-1, 3)

    def _mesh(self, primitive: Primitive) -> tuple[Any, dict[str, int]]:
        packed = primitive.extensions.get(EXTENSION)
        if packed is None:
            return None, {}
        view, ids = (packed.get("bufferView"), packed.get("attributes")) if isinstance(packed, dict) else (None, None)
        if not isinstance(view, int) or not isinstance(ids, dict):
            raise _damaged()
        if view not in self._known:
            data = self._buffers.view(view)
            self._allowance.take(8 * len(data), "a compressed mesh")
            try:
                self._known[view] = DracoPy.decode(data)
                _ = self._known[view].faces
            except (DracoPy.FileTypeException, ValueError, AttributeError, MemoryError, RuntimeError, IndexError, TypeError):
                raise _damaged() from None
        return self._known[view], {str(k): v for k, v in ids.items() if isinstance(v, int)}


def _damaged() -> InputError:
    return InputError("A compressed mesh in the file is damaged. Export it again, without compression.")
