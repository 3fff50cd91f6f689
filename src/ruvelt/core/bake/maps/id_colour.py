"""One colour for each part, material, group or island, to pick by."""

from __future__ import annotations

from functools import lru_cache
from typing import ClassVar

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake.mesh_map import F32, BakedMap, Measured
from ruvelt.core.color.oklab import oklab
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.topology import islands


@lru_cache(maxsize=1)
def _far_apart() -> F32:
    """A fixed row of colours, each as far from all before it as can be, by distance in OKLab; neither black nor white nor grey."""
    steps = np.linspace(0, 1, 13)
    rgb = np.stack(np.meshgrid(steps, steps, steps, indexing="ij"), axis=-1).reshape(-1, 3)
    lab = oklab(rgb)
    good = (lab[:, 0] > 0.3) & (lab[:, 0] < 0.95) & (np.linalg.norm(lab[:, 1:], axis=1) > 0.05)
    rgb, lab = rgb[good], lab[good]
    order = [int(np.argmin(np.abs(rgb - [0.85, 0.3, 0.25]).sum(axis=1)))]
    distance = np.linalg.norm(lab - lab[order[0]], axis=1)
    while len(order) < len(rgb):
        order.append(int(np.argmax(distance)))
        distance = np.minimum(distance, np.linalg.norm(lab - lab[order[-1]], axis=1))
    return np.ascontiguousarray(rgb[order], np.float32)


def id_colours(count: int) -> F32:
    """(count, 3) float32 colours far apart; the first ones stay the same however many there are. They come again after more than a thousand."""
    row = _far_apart()
    return np.ascontiguousarray(row[np.arange(count) % len(row)])


def _id_rows(mesh: Model, by: str) -> NDArray[np.int32]:
    """(f,) number of whatever a face belongs to."""
    if by == "material":
        return mesh.face_material
    if by == "island":
        return np.maximum(islands(mesh, mesh.uv_layouts[0] if mesh.uv_layouts else None), 0)
    if by == "group":
        rows = np.zeros(mesh.face_count, np.int32)
        for i, group in enumerate(mesh.groups):
            rows[group.faces] = i + 1
        return rows
    return mesh.face_part


def _vertex_colours(m: Measured) -> F32:
    source = m.source
    if any(mesh.vertex_colors is None for mesh in source.meshes):
        raise InputError("The measured mesh has no vertex colours. Choose another way to tell the id map's parts apart.")
    out = np.zeros((len(m.points.local), 3), np.float32)
    if not source.projects:
        assert source.low.vertex_colors is not None
        sums = np.zeros((source.low.face_count, 3))
        counts = np.diff(source.low.face_starts)
        corner_colour = source.low.vertex_colors[source.low.corner_vertex, :3]
        np.add.at(sums, np.repeat(np.arange(source.low.face_count), counts), corner_colour)
        return np.asarray((sums / counts[:, None])[m.points.face], np.float32)
    first = 0
    for mesh in source.meshes:
        assert mesh.vertex_colors is not None
        mine = (m.surface.triangle >= first) & (m.surface.triangle < first + len(mesh.triangles))
        corners = mesh.triangles[m.surface.triangle[mine] - first]
        # The middle corner's colour: id colours are flat, and mixing two would make a third.
        out[mine] = mesh.vertex_colors[corners[:, 0], :3]
        first += len(mesh.triangles)
    return out


class IdColour(BakedMap):
    """One colour for each part, material, group or island, to pick by."""

    id: ClassVar[str] = "id"
    label: ClassVar[str] = "Id colour"
    hint: ClassVar[str] = "One colour for each part, material, group or island, to pick by."
    rank: ClassVar[int] = 7
    components: ClassVar[int] = 3
    start: ClassVar[tuple[float, ...]] = (0.0, 0.0, 0.0)
    settings: ClassVar[tuple[str, ...]] = ("id_by",)
    mixes: ClassVar[bool] = False

    def values(self, m: Measured) -> F32:
        by, source = m.settings.id_by, m.source
        hit = m.surface.triangle >= 0
        # Islands are the low mesh's own; what no ray met takes the low mesh's colour too.
        on_low = _id_rows(source.low, by)[m.points.face] if by != "colour" else np.zeros(len(hit), np.int32)
        if by == "colour":
            return _vertex_colours(m)
        if not source.projects or by == "island":
            return id_colours(int(on_low.max(initial=0)) + 1)[on_low]
        mesh_of, face_of = source.faces
        first, rows = 0, []
        for mesh in source.meshes:
            numbers = _id_rows(mesh, by)
            rows.append(numbers + first)
            first += int(numbers.max(initial=0)) + 1
        found = on_low + first
        for i, numbers in enumerate(rows):
            mine = hit & (mesh_of[np.maximum(m.surface.triangle, 0)] == i)
            found[mine] = numbers[face_of[m.surface.triangle[mine]]]
        return id_colours(int(found.max(initial=0)) + 1)[found]
