"""The surface just over the border of a sheet: what blur and growth read there, so that they do not stop between two materials."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray
from scipy.spatial import cKDTree

from ruvelt.core.lazy import lazy
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.samples.sheet import SheetSamples, texel_uv
from ruvelt.core.samples.surface import SurfaceSamples

#: Points are no nearer to each other than the reach over this: what lies over the border is blurred, or only its outline counts.
FINENESS = 24
#: Large triangles are quartered until they are no larger than the reach, or so often.
QUARTERINGS = 12
#: No more points, nor places along the border that they are told near by, whatever a file's layout is like.
MOST = 2_000_000
F64 = NDArray[np.float64]
U16 = NDArray[np.uint16]


class _Points(SurfaceSamples):
    """Samples that lie in no layout. areas : (slots,) float32 surface each stands for; `count`: how many there are before the padding."""

    is_sheet = False
    areas: NDArray[np.float32]

    def _make_room(self, count: int) -> None:
        self.count = count
        self.chunk_count = max(1, -(-count // CHUNK))
        self.positions, self.normals = np.zeros((self.slot_count, 3), np.float32), np.zeros((self.slot_count, 3), np.float32)
        self.face, self.areas = np.full(self.slot_count, -1, np.int32), np.zeros(self.slot_count, np.float32)

    def area(self) -> float:
        return float(self.areas.sum(dtype=np.float64))

    def sample_areas(self, slots: NDArray[np.int32]) -> NDArray[np.float32]:
        return self.areas[slots]

    def slots_of_faces(self, faces: NDArray[np.bool_]) -> NDArray[np.bool_]:
        return np.concatenate([faces, [False]])[self.face]


class Collar(_Points):
    """Points spread over other sheets' faces within a reach of a sheet's border.

    plan : (slots,) int32 the sheet each lies on, -1 in the padding; uv : (slots, 2) float32 its place there, 0–1, y down
    """

    def __init__(self, samples: SheetSamples, plans: Sequence[SheetPlan], reach: float) -> None:
        """`reach` : object units, in space."""
        self.model = samples.model
        gap = max(samples.spacing, reach / FINENESS)
        faces = self.model.face_count
        plan_of = np.full(faces, -1, np.int32)
        for number in [n for n, p in enumerate(plans) if p is not samples.plan] + [n for n, p in enumerate(plans) if p is samples.plan]:
            plan_of[plans[number].faces] = number
        own = next(n for n, p in enumerate(plans) if p is samples.plan)
        places = _border(self.model.positions, self.model.face_links, plan_of, own, max(gap, reach / 8))
        rows = [_near(samples, plans, n, places, reach) for n in np.unique(plan_of[(plan_of >= 0) & (plan_of != own)])] if len(places) else []
        corners = np.concatenate([r[0] for r in rows]) if rows else np.zeros((0, 3, 8))
        of = np.concatenate([r[1] for r in rows]) if rows else np.zeros((0, 2), np.int32)
        values, area, triangle = _spread(corners, gap)
        inside = cKDTree(places).query(values[:, :3])[0] <= reach if len(values) else np.zeros(0, bool)
        values, area, triangle = values[inside], area[inside], triangle[inside]
        self._make_room(len(values))
        self.uv, self.plan = np.zeros((self.slot_count, 2), np.float32), np.full(self.slot_count, -1, np.int32)
        self.positions[: self.count] = values[:, :3]
        length = np.linalg.norm(values[:, 3:6], axis=1, keepdims=True)
        self.normals[: self.count] = values[:, 3:6] / np.maximum(length, 1e-20)
        self.uv[: self.count], self.areas[: self.count] = values[:, 6:], area
        self.face[: self.count], self.plan[: self.count] = of[triangle].T

    @lazy
    def spacing(self) -> float:
        return float(np.sqrt(self.area() / max(self.count, 1)))


class Joined(_Points):
    """The covered samples of a sheet and the points of its collar, in this order, one after the other."""

    def __init__(self, samples: SheetSamples, collar: Collar) -> None:
        self.model = samples.model
        self.own = np.flatnonzero(samples.covered).astype(np.int32)
        self.there = there = collar.count
        count = len(self.own) + there
        self._make_room(count)
        for to, own, more in (
            (self.positions, samples.positions, collar.positions),
            (self.normals, samples.normals, collar.normals),
            (self.face, samples.face, collar.face),
        ):
            to[: len(self.own)], to[len(self.own) : count] = own[self.own], more[:there]
        self.areas[: len(self.own)], self.areas[len(self.own) : count] = samples.sample_areas(self.own), collar.areas[:there]
        self.spacing = samples.spacing

    def gather(self, values_u16: U16, beyond: U16) -> U16:
        """(slots,) of a sheet's codes and its collar's."""
        out, own = np.zeros(self.slot_count, np.uint16), len(self.own)
        out[:own], out[own : own + self.there] = values_u16[self.own], beyond[: self.there]
        return out

    def part(self, joined: U16, values_u16: U16, beyond: U16) -> tuple[U16, U16]:
        """The inverse: copies of `codes` and `beyond` with the values of joined ones where they count."""
        values_u16, beyond, own = values_u16.copy(), beyond.copy(), len(self.own)
        values_u16[self.own], beyond[: self.there] = joined[:own], joined[own : own + self.there]
        return values_u16, beyond


def _border(positions: NDArray[np.float32], links: NDArray[np.int32], plan_of: NDArray[np.int32], own: int, step: float) -> F64:
    """(n, 3) places along the edges between a sheet and others, `step` apart."""
    a, b = plan_of[links[:, 2]], plan_of[links[:, 3]]
    edges = links[(a != b) & ((a == own) | (b == own)) & (a >= 0) & (b >= 0)]
    start, direction = positions[edges[:, 0]].astype(np.float64), positions[edges[:, 1]].astype(np.float64) - positions[edges[:, 0]]
    length = np.linalg.norm(direction, axis=1)
    many = np.maximum(np.ceil(length / max(step, float(length.sum()) / MOST)), 1).astype(np.int64) + 1
    row = np.repeat(np.arange(len(edges)), many)
    nth = np.arange(len(row)) - np.repeat(np.cumsum(many) - many, many)
    return np.asarray(start[row] + direction[row] * (nth / (many[row] - 1))[:, None])


def _near(samples: SheetSamples, plans: Sequence[SheetPlan], number: int, places: F64, reach: float) -> tuple[F64, NDArray[np.int32]]:
    """Pieces of a sheet's triangles within reach of some places.

    (t, 3, 8) corners (position, normal, uv 0–1) and (t, 2) int32 face and sheet
    """
    model = samples.model
    triangles, uv = texel_uv(model, plans[number], 1)
    # Where the layout repeats a triangle is there for each square; once will do.
    triangles, once = np.unique(triangles, return_index=True)
    uv = uv[once]
    normals = corner_normals(model)[model.triangle_corners[triangles]]
    corners = np.concatenate([model.positions[model.triangles[triangles]], normals, np.nan_to_num(uv)], axis=2).astype(np.float64)
    of = np.stack([model.triangle_face[triangles], np.full(len(triangles), number)], axis=1).astype(np.int32)
    tree = cKDTree(places)
    done: list[tuple[F64, NDArray[np.int32]]] = []
    for turn in range(QUARTERINGS + 1):
        middle = corners[:, :, :3].mean(axis=1)
        radius = np.linalg.norm(corners[:, :, :3] - middle[:, None], axis=2).max(axis=1)
        near = tree.query(middle)[0] <= reach + radius
        small = near & ((radius <= reach) | (turn == QUARTERINGS))
        done.append((corners[small], of[small]))
        corners, of = _quartered(corners[near & ~small]), np.repeat(of[near & ~small], 4, axis=0)
        if not len(corners):
            break
    return np.concatenate([c for c, _ in done]), np.concatenate([f for _, f in done])


def _quartered(corners: F64) -> F64:
    a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
    ab, bc, ca = (a + b) / 2, (b + c) / 2, (c + a) / 2
    return np.stack([[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]]).transpose(2, 0, 1, 3).reshape(-1, 3, corners.shape[2])


def _spread(corners: F64, gap: float) -> tuple[F64, F64, NDArray[np.int64]]:
    """Values at points about `gap` apart over (t, 3, k) triangles, the area each stands for, and its triangle."""
    p = corners[:, :, :3]
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1) / 2
    gap = max(gap, float(np.sqrt(area.sum() / MOST)))
    count = np.maximum(np.rint(area / gap**2), 1).astype(np.int64)
    row = np.repeat(np.arange(len(corners)), count)
    nth = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
    # The plastic number's recurrence (M. Roberts, 2018), shifted for each triangle and folded into it.
    u, v = (row * 0.618034 + (nth + 1) * 0.7548776662466927) % 1, (row * 0.414214 + (nth + 1) * 0.5698402909980532) % 1
    over = u + v > 1
    u, v = np.where(over, 1 - u, u), np.where(over, 1 - v, v)
    single = count[row] == 1
    u, v = np.where(single, 1 / 3, u), np.where(single, 1 / 3, v)
    values = corners[row, 0] * (1 - u - v)[:, None] + corners[row, 1] * u[:, None] + corners[row, 2] * v[:, None]
    return values, (area / count)[row], row
