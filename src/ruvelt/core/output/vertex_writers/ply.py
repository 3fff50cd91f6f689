"""PLY (Turk 1994), binary, little-endian: places, normals, colours, and the other channels as numbers of each vertex."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.output.vertex_writer import VertexPaint, VertexWriter


class PlyWriter(VertexWriter):
    id: ClassVar[str] = "ply"
    label: ClassVar[str] = "PLY"
    suffix: ClassVar[str] = ".ply"
    bits: ClassVar[tuple[int, ...]] = (8, 16)
    rank: ClassVar[int] = 0

    def encode(self, paint: VertexPaint, bits: int) -> bytes:
        model = paint.model
        kind, code = ("ushort", "<u2") if bits == 16 else ("uchar", "u1")
        letters = ("red", "green", "blue", "alpha") if paint.clear else ("red", "green", "blue")
        fields = [*((n, "<f4", "float") for n in ("x", "y", "z", "nx", "ny", "nz")), *((n, code, kind) for n in letters)]
        # An own channel may be called what a property is called already.
        taken = {name for name, _, _ in fields}
        numbers = {f"{name}_channel" if name in taken else name: values for name, values in paint.numbers.items()}
        fields += [(name, "<f4", "float") for name in numbers]
        rows = np.zeros(model.vertex_count, [(name, dtype) for name, dtype, _ in fields])
        for i, name in enumerate(("x", "y", "z")):
            rows[name], rows[f"n{name}"] = model.positions[:, i], paint.normals[:, i]
        for i, name in enumerate(letters):
            values_u16 = paint.colours[:, i].astype(np.uint32)
            rows[name] = values_u16 if bits == 16 else (values_u16 * 255 + 32767) // 65535
        for name, values in numbers.items():
            rows[name] = values
        sizes = np.diff(model.face_starts)
        wide = int(sizes.max(initial=0)) > 255
        head = ["ply", "format binary_little_endian 1.0", "comment Ruvelt", f"element vertex {len(rows)}"]
        head += [f"property {kind} {name}" for name, _, kind in fields]
        head += [f"element face {len(sizes)}", f"property list {'int' if wide else 'uchar'} int vertex_indices", "end_header", ""]
        return "\n".join(head).encode() + rows.tobytes() + _faces(sizes, model.corner_vertex, "<i4" if wide else "u1")


def _faces(sizes: np.ndarray, corners: np.ndarray, count: str) -> bytes:
    """Each face as its count and its corners."""
    width = np.dtype(count).itemsize
    ends = np.cumsum(sizes.astype(np.int64))
    out = np.zeros(len(sizes) * width + len(corners) * 4, np.uint8)
    starts = (ends - sizes) * 4 + np.arange(len(sizes)) * width
    out[(starts[:, None] + np.arange(width)).ravel()] = np.ascontiguousarray(sizes.astype(count)).view(np.uint8)
    shift = (np.arange(len(sizes)) + 1) * width
    places = np.arange(len(corners), dtype=np.int64) * 4 + np.repeat(shift, sizes)
    values = np.ascontiguousarray(corners.astype("<i4")).view(np.uint8).reshape(-1, 4)
    for byte in range(4):
        out[places + byte] = values[:, byte]
    return out.tobytes()
