"""What the kernels of bakes ask and fill, each as one argument. Rows stand for points or rays; float32 but where said."""

from __future__ import annotations

from typing import NamedTuple

import numba
import numpy as np
from numpy.typing import NDArray

F32 = NDArray[np.float32]
I32 = NDArray[np.int32]
I64 = NDArray[np.int64]
_f32, _i32, _i64 = numba.float32, numba.int32, numba.int64
_rows, _values = _f32[:, ::1], _f32[::1]


class TexelCorners(NamedTuple):
    """owner : (slots,) int32 triangle of each texel; of each triangle's corners (t, 3, …): uv in texels, positions, normals, tangents"""

    owner: I32
    uv: F32
    positions: F32
    normals: F32
    tangents: F32


class PlacedPoints(NamedTuple):
    """local, triangle : (n,) int32; bary, position, normal, geometric : (n, 3); tangent : (n, 4)

    frame : (n, 5) lengths of the interpolated normal and tangent, and the interpolated bitangent of the vertices, unit
    """

    local: I32
    triangle: I32
    bary: F32
    position: F32
    normal: F32
    geometric: F32
    tangent: F32
    frame: F32

    @classmethod
    def room(cls, count: int) -> PlacedPoints:
        rows = [np.empty((count, width), np.float32) for width in (3, 3, 3, 3, 4, 5)]
        return cls(np.empty(count, np.int32), np.empty(count, np.int32), *rows)


class RayStarts(NamedTuple):
    """position, normal, geometric : (n, 3); key : (n,) int64, what a point's turn is drawn from"""

    position: F32
    normal: F32
    geometric: F32
    key: I64


class RayRoom(NamedTuple):
    """origin, direction : (n, 3); limit : (n,)"""

    origin: F32
    direction: F32
    limit: F32

    @classmethod
    def of(cls, count: int) -> RayRoom:
        return cls(np.empty((count, 3), np.float32), np.empty((count, 3), np.float32), np.empty(count, np.float32))


class FoundHits(NamedTuple):
    """As the ray caster gives them: primitive : (n,) int32, −1 for none; u, v : (n,); outward : (n, 3) normals of the faces, not unit"""

    primitive: I32
    u: F32
    v: F32
    outward: F32


class MetSurface(NamedTuple):
    """position, normal : (n, 3); triangle : (n,) int32"""

    position: F32
    normal: F32
    triangle: I32


class CageCorners(NamedTuple):
    """averaged, split : (t, 3, 3) unit normals; place : (t, 3) int32 numbers of corners

    edge[star[p]:star[p + 1]] : int32 hard edges at a place, rows of (m, 2, 3) `ends`; blend : how far from them rays turn, object units
    """

    averaged: F32
    split: F32
    place: I32
    star: I32
    edge: I32
    ends: F32
    blend: np.float32


class GrainSamples(NamedTuple):
    """Sorted by cell: xyz, normal : (3, n); area, radii, guide : (n,), radii: how far neighbours count; values : (n, 1 or 3)"""

    xyz: F32
    normal: F32
    area: F32
    radii: F32
    values: F32
    guide: F32


class GrainCells(NamedTuple):
    """side : of a cell, object units; number : (m,) of each cell; dims : (3,) cells along; table : as `fill_table` made it; start : (m + 1,)"""

    side: float
    number: I64
    dims: I64
    table: I32
    start: I64


_of = numba.types.NamedTuple
#: Their types in kernels.
CORNERS = _of((_i32[::1], *[_f32[:, :, ::1]] * 4), TexelCorners)
PLACED = _of((_i32[::1], _i32[::1], *[_rows] * 6), PlacedPoints)
STARTS = _of((_rows, _rows, _rows, _i64[::1]), RayStarts)
RAYS = _of((_rows, _rows, _values), RayRoom)
FOUND = _of((_i32[::1], _values, _values, _rows), FoundHits)
MET = _of((_rows, _rows, _i32[::1]), MetSurface)
CAGE = _of((_f32[:, :, ::1], _f32[:, :, ::1], _i32[:, ::1], _i32[::1], _i32[::1], _f32[:, :, ::1], _f32), CageCorners)
GRAIN_SAMPLES = _of((_rows, _rows, _values, _values, _rows, _values), GrainSamples)
GRAIN_CELLS = _of((numba.float64, _i64[::1], _i64[::1], _i32[::1], _i64[::1]), GrainCells)
