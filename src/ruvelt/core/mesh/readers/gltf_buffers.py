"""Values of glTF accessors: buffers, views (compressed by meshopt or not), sparse parts, normalised integers."""

from __future__ import annotations

from typing import Any, TypeVar

import meshopt
import numpy as np
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.companions import Companions, data_uri
from ruvelt.core.mesh.readers.gltf_document import Accessor, Buffer, Document, View

COMPONENT = {5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32}
WIDTH = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT4": 16}
_MESHOPT = ("EXT_meshopt_compression", "KHR_meshopt_compression")
Item = TypeVar("Item")


def item(items: list[Item], index: int, what: str) -> Item:
    """One of a list. Raises InputError when the file names one that is not there."""
    if not 0 <= index < len(items):
        raise InputError(f"The glTF names {what} {index}, but has only {len(items)}. Export it again.")
    return items[index]


class Buffers:
    """The binary half of a glTF."""

    def __init__(self, document: Document, chunk: bytes | None, companions: Companions, allowance: Allowance) -> None:
        self._document, self._allowance = document, allowance
        self._buffers = [self._buffer(i, b, chunk, companions) for i, b in enumerate(document.buffers)]
        self._unpacked: dict[int, bytes] = {}

    @staticmethod
    def _buffer(index: int, buffer: Buffer, chunk: bytes | None, companions: Companions) -> bytes:
        if any(buffer.extensions.get(e) for e in _MESHOPT) and buffer.uri is None and (index or chunk is None):
            return b""  # Stands for what the compressed views unpack to.
        if buffer.uri is None:
            if index != 0 or chunk is None:
                raise InputError("The glTF names a buffer that is not in the file. Export it as one .glb file.")
            found: bytes | None = chunk
        elif buffer.uri.startswith("data:"):
            found = data_uri(buffer.uri)
            if found is None:
                raise InputError("A buffer inside the glTF is damaged. Export it again, as .glb.")
        else:
            found = companions.find(buffer.uri)
            if found is None:
                bare = buffer.uri.replace("\\", "/").split("/")[-1]
                raise InputError(f"The glTF needs '{bare}' beside it. Choose both files together, or export as one .glb file.")
        assert found is not None
        if len(found) < buffer.byteLength:
            raise InputError(f"A buffer holds {len(found):,} of {buffer.byteLength:,} bytes: the file is cut off. Export it again.")
        return found

    def view(self, index: int) -> bytes:
        """The bytes of a buffer view, unpacked. Raises InputError when it reaches past its buffer."""
        view = item(self._document.bufferViews, index, "buffer view")
        packed = next((view.extensions[e] for e in _MESHOPT if e in view.extensions), None)
        if packed is None:
            return self._slice(view.buffer, view.byteOffset, view.byteLength)
        if index not in self._unpacked:
            self._unpacked[index] = self._unpack(view, packed)
        return self._unpacked[index]

    def _slice(self, buffer: int, offset: int, length: int) -> bytes:
        whole = item(self._buffers, buffer, "buffer")
        if offset < 0 or length < 0 or offset + length > len(whole):
            raise InputError("A buffer view reaches past the end of its buffer: the file is cut off or damaged. Export it again.")
        return whole[offset : offset + length]

    def _unpack(self, view: View, packed: Any) -> bytes:
        """A view compressed as EXT_meshopt_compression says."""
        try:
            count, stride, mode = int(packed["count"]), int(packed["byteStride"]), str(packed["mode"])
            source = self._slice(int(packed["buffer"]), int(packed.get("byteOffset", 0)), int(packed["byteLength"]))
            kind = str(packed.get("filter", "NONE"))
            if not (0 < stride <= 256 and count >= 0 and count * stride <= view.byteLength):
                raise ValueError("sizes do not fit")
            self._allowance.take(2 * count * stride, f"{count:,} compressed values")
            return bytes(np.ascontiguousarray(meshopt.decode_gltf_buffer(source, count, stride, mode, kind)).tobytes())
        except (KeyError, TypeError, ValueError, AttributeError, RuntimeError, OverflowError):
            raise InputError("Compressed values in the file are damaged. Export it again, without compression.") from None

    def array(self, index: int, width: int) -> NDArray[Any]:
        """(count, width) values of an accessor; normalised integers become 0–1 or −1–1 floats."""
        accessor = item(self._document.accessors, index, "accessor")
        if WIDTH.get(accessor.type) != width or accessor.componentType not in COMPONENT:
            raise InputError(f"Accessor {index} is {accessor.type}; {width} values were expected. Export the file again.")
        found = self._values(accessor, width)
        if accessor.sparse is not None:
            found = self._sparse(accessor, width, found)
        if accessor.normalized and found.dtype.kind in "iu":
            top = float(np.iinfo(COMPONENT[accessor.componentType]).max)  # type: ignore[type-var]
            return np.asarray(np.maximum(found.astype(np.float64) / top, -1), np.float32)
        return found

    def _values(self, accessor: Accessor, width: int) -> NDArray[Any]:
        dtype = np.dtype(COMPONENT[accessor.componentType]).newbyteorder("<")
        size = dtype.itemsize * width
        if accessor.bufferView is None:
            # The format allows it, and it says zeros; a count that no byte stands for is still only a claim.
            self._allowance.take(accessor.count * size, f"{accessor.count:,} values that the file does not hold")
            return np.zeros((accessor.count, width), dtype)
        stride = item(self._document.bufferViews, accessor.bufferView, "buffer view").byteStride or size
        return self._strided(accessor.bufferView, accessor.byteOffset, stride, accessor.count, width, dtype)

    def _strided(self, view: int, offset: int, stride: int, count: int, width: int, dtype: np.dtype[Any]) -> NDArray[Any]:
        content = self.view(view)
        size = dtype.itemsize * width
        need = (count - 1) * stride + size if count else 0
        if stride < size or offset + need > len(content):
            raise InputError("Values reach past the end of their data: the file is cut off or damaged. Export it again.")
        if not count:
            return np.zeros((0, width), dtype)
        return np.ndarray((count, width), dtype, content, offset, (stride, dtype.itemsize))

    def _sparse(self, accessor: Accessor, width: int, base: NDArray[Any]) -> NDArray[Any]:
        sparse = accessor.sparse
        assert sparse is not None
        index_type = COMPONENT.get(sparse.indices.componentType)
        if index_type not in (np.uint8, np.uint16, np.uint32):
            raise InputError("Sparse values have indices of an unknown kind. Export the file again.")
        kind = np.dtype(index_type).newbyteorder("<")
        rows = self._strided(sparse.indices.bufferView, sparse.indices.byteOffset, kind.itemsize, sparse.count, 1, kind)[:, 0].astype(np.int64)
        if rows.max() >= accessor.count:
            raise InputError(f"A sparse value belongs to row {int(rows.max())}, but there are {accessor.count}. Export the file again.")
        values = self._strided(sparse.values.bufferView, sparse.values.byteOffset, base.dtype.itemsize * width, sparse.count, width, base.dtype)
        found = base.copy()
        found[rows] = values
        return found
