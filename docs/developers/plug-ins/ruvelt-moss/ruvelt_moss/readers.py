"""A mesh format: one function, named by its suffix. This one is a made-up list of points and triangles, one a line: "p x y z" and "t a b c"."""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import Material
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers.allowance import Allowance
from ruvelt.core.mesh.readers.asset import Asset


def read(data: bytes, name: str, companions: Mapping[str, bytes], allowance: Allowance) -> Asset:
    # Before anything is built: a file may say what it cannot hold.
    allowance.take_mesh(len(data) // 8, len(data) // 8)
    points: list[list[float]] = []
    triangles: list[list[int]] = []
    try:
        for line in data.decode("ascii").splitlines():
            sign, *rest = line.split() or [""]
            if sign == "p":
                points.append([float(v) for v in rest])
            elif sign == "t":
                triangles.append([int(v) for v in rest])
        positions, corners = np.array(points, np.float32).reshape(-1, 3), np.array(triangles, np.int32).reshape(-1, 3)
    except ValueError:
        raise InputError("The point list is damaged. Export it again.") from None
    count = len(corners)
    return Asset(
        Model(
            name=name,
            positions=positions,
            face_starts=np.arange(0, 3 * count + 1, 3, dtype=np.int32),
            corner_vertex=corners.reshape(-1),
            parts=(name,),
            face_part=np.zeros(count, np.int32),
            materials=(Material("Default"),),
            face_material=np.zeros(count, np.int32),
        )
    )


READS = {".points": read}
