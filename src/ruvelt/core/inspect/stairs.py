"""Where paint on vertices changes too sharply for the mesh, so that its edges follow the triangles and break into stairs."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

#: Shares of the whole range between two vertices from which an edge of paint is sharp, and degrees between its directions in triangles
#: that lie beside each other from which it is not straight.
SHARP, TURNED_DEG = 0.25, 20.0


def stairs(positions: NDArray[np.float32], triangles: NDArray[np.int32], values_u16: NDArray[np.uint16]) -> NDArray[np.int64]:
    """(k,) triangles, ascending, where an edge of paint breaks into stairs.

    positions : (n, 3) object space; triangles : (t, 3) int32; values_u16 : (components, n) codes of a channel, colours as they are encoded.
    A sharp edge that runs along edges of the mesh is straight and none of them: in triangles beside each other paint changes in one direction.
    """
    if not len(triangles):
        return np.zeros(0, np.int64)
    jump = np.zeros(len(triangles), np.uint16)
    for row in values_u16:
        corners = row[triangles]
        np.maximum(jump, corners.max(axis=1) - corners.min(axis=1), out=jump)
    sharp = np.flatnonzero(jump > SHARP * 65535)
    if not len(sharp):
        return sharp
    mine = triangles[sharp]
    slope = _slopes(positions[mine].astype(np.float64), values_u16[:, mine].astype(np.float64))
    # Each edge of a sharp triangle with the triangle that has it; those that two share make them neighbours.
    edges = np.sort(np.stack([mine, mine[:, [1, 2, 0]]], axis=-1).reshape(-1, 2), axis=1).astype(np.int64)
    key = edges[:, 0] * (int(triangles.max()) + 1) + edges[:, 1]
    order = np.argsort(key, kind="stable")
    same = np.flatnonzero(key[order][1:] == key[order][:-1])
    a, b = order[same] // 3, order[same + 1] // 3
    turned = np.abs(np.einsum("ij,ij->i", slope[a], slope[b])) < np.cos(np.radians(TURNED_DEG))
    found = np.zeros(len(sharp), bool)
    found[a[turned]] = found[b[turned]] = True
    return sharp[found]


def _slopes(p: NDArray[np.float64], values: NDArray[np.float64]) -> NDArray[np.float64]:
    """(t, 3) unit directions in which the component that changes most does so, of triangles (t, 3, 3) with (components, t, 3) values."""
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    n = np.cross(e1, e2)
    most = np.argmax(values.max(axis=2) - values.min(axis=2), axis=0)
    v = values[most, np.arange(len(p))]
    found = (v[:, 1] - v[:, 0])[:, None] * np.cross(e2, n) + (v[:, 2] - v[:, 0])[:, None] * np.cross(n, e1)
    return np.asarray(found / np.maximum(np.linalg.norm(found, axis=1, keepdims=True), 1e-300), np.float64)
