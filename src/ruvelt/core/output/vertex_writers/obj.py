"""Wavefront OBJ with the colour of each vertex behind its place, 0–1 and sRGB-encoded, as many programs read it."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.output.vertex_writer import VertexPaint, VertexWriter


class ObjWriter(VertexWriter):
    id: ClassVar[str] = "obj"
    label: ClassVar[str] = "OBJ"
    suffix: ClassVar[str] = ".obj"
    rank: ClassVar[int] = 2

    def encode(self, paint: VertexPaint, bits: int) -> bytes:
        model = paint.model
        lines = ["# Ruvelt"]
        for place, colour in zip(model.positions.tolist(), (paint.colours[:, :3].astype(np.float64) / 65535).tolist(), strict=True):
            lines.append("v {:.9g} {:.9g} {:.9g} {:.6f} {:.6f} {:.6f}".format(*place, *colour))
        lines += ["vn {:.6f} {:.6f} {:.6f}".format(*n) for n in paint.normals.tolist()]
        corners, starts = (model.corner_vertex + 1).tolist(), model.face_starts.tolist()
        part = -1
        for face, of in enumerate(model.face_part.tolist()):
            if of != part:
                part = of
                lines.append("o " + " ".join(model.parts[part].split()))
            lines.append("f " + " ".join(f"{v}//{v}" for v in corners[starts[face] : starts[face + 1]]))
        return ("\n".join(lines) + "\n").encode()
