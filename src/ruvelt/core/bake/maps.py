"""The mesh maps: what each measures and how its numbers become 16-bit codes. A new map is one more entry in MAPS."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.bake._bake_kernels import into_tangent_frame
from ruvelt.core.bake.grain import Answers
from ruvelt.core.bake.points import Points
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BakeSource, Surface
from ruvelt.core.color.oklab import oklab
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.topology import islands
from ruvelt.core.stack.mesh_maps import SHAPES

F32 = NDArray[np.float32]


@dataclass(frozen=True)
class Measured:
    """What a map without rays of its own is made from, for the points of one chunk."""

    points: Points
    surface: Surface
    source: BakeSource
    settings: BakeSettings
    curvature: F32 | None = None


@dataclass(frozen=True)
class MeshMapKind:
    """One mesh map, (n, components) float32 in 0–1; directions and signed numbers as 0.5 + 0.5 · v.

    values : from what was measured at each place; told : from what rays told of each sample, for maps that cast them
    Names, components and start values: stack/mesh_maps.py. rays : which rays it casts, if any; settings : the names of settings that change it
    """

    id: str
    tells: str
    values: Callable[[Measured], F32] | None = None
    told: Callable[[Answers], F32] | None = None
    rays: str = ""
    settings: tuple[str, ...] = ()
    direction: bool = False
    needs_tangent: bool = False
    #: Whether the places of a texel are averaged; colours that stand for things are not.
    mixes: bool = True

    @property
    def name(self) -> str:
        return SHAPES[self.id].name

    @property
    def components(self) -> int:
        return SHAPES[self.id].components


def signed(values: F32) -> F32:
    return values * np.float32(0.5) + np.float32(0.5)


def _normal(m: Measured) -> F32:
    """The measured normal in the tangent frame of the low mesh, so that decoding gives it back."""
    assert m.points.tangent is not None
    assert m.points.frame is not None
    out = np.empty((len(m.points.local), 3), np.float32)
    into_tangent_frame(m.surface.normal, m.points.normal, m.points.tangent, m.points.frame, m.settings.bitangents == "vertex", out)
    return out


def _position(m: Measured) -> F32:
    low, high = m.source.low.bounds
    # Along an axis on which the model has no extent a place lies in the middle.
    flat = high - low <= np.float32(1e-6 * m.source.low.diagonal)
    share = (m.surface.position - low) / np.where(flat, np.float32(1), high - low)
    return np.asarray(np.where(flat, np.float32(0.5), share), np.float32)


def _facing(m: Measured) -> F32:
    way = np.asarray(m.settings.facing, np.float64)
    return signed((m.surface.normal @ (way / np.linalg.norm(way)).astype(np.float32))[:, None])


def _height(m: Measured) -> F32:
    reach = max(m.settings.front, m.settings.back) * m.source.low.diagonal
    return signed(m.surface.height[:, None] / np.float32(reach))


def _curvature(m: Measured) -> F32:
    assert m.curvature is not None
    return signed(m.curvature[:, None] * np.float32(m.settings.curvature_radius * m.source.low.diagonal))


def _occlusion(told: Answers) -> F32:
    assert told.open_share is not None
    return told.open_share[:, None]


def _bent(told: Answers) -> F32:
    assert told.bent is not None
    return signed(told.bent)


def _thickness(told: Answers) -> F32:
    assert told.thickness is not None
    return told.thickness[:, None]


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


def _id(m: Measured) -> F32:
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


MAPS: tuple[MeshMapKind, ...] = (
    MeshMapKind(
        "normal",
        "Relief of the high mesh, for the final normal map.",
        _normal,
        settings=("front", "back", "cage", "cage_blend", "bitangents"),
        direction=True,
        needs_tangent=True,
    ),
    MeshMapKind(
        "occlusion",
        "How much of the sky a place sees: dirt gathers where it is dark.",
        None,
        _occlusion,
        "sky",
        ("rays", "grain", "shading", "occlusion_reach"),
    ),
    MeshMapKind(
        "curvature",
        "Edges are bright, recesses dark: where paint wears and dust stays.",
        _curvature,
        settings=("curvature_radius",),
    ),
    MeshMapKind(
        "thickness",
        "How thick the body is under a place: light comes through where it is dark.",
        None,
        _thickness,
        "inside",
        ("rays", "grain", "shading", "thickness_reach"),
    ),
    MeshMapKind("position", "Where a place lies in the model's box: red, green and blue for X, Y and Z.", _position),
    MeshMapKind("facing", "How far a place looks in one direction: snow, salt, dust from above.", _facing, settings=("facing",)),
    MeshMapKind("height", "How far the high mesh lies above or below the model.", _height, settings=("front", "back")),
    MeshMapKind("id", "One colour for each part, material, group or island, to pick by.", _id, settings=("id_by",), mixes=False),
    MeshMapKind(
        "object_normal",
        "The direction a place looks, in the model's own axes.",
        lambda m: signed(m.surface.normal),
        direction=True,
    ),
    MeshMapKind(
        "bent_normal",
        "The mean open direction, for light from all sides.",
        None,
        _bent,
        "sky",
        ("rays", "grain", "shading", "occlusion_reach"),
        direction=True,
    ),
)
BY_ID = {kind.id: kind for kind in MAPS}
#: A bake from a high mesh makes this too: bits of why a texel is suspect (source.py), over 255.
SUSPECTS = "suspects"


def map_kind(map_id: str) -> MeshMapKind:
    """Raises InputError for a map there is not."""
    if map_id not in BY_ID:
        raise InputError(f"There is no mesh map '{map_id[:40]}'. Choose from: {', '.join(BY_ID)}.")
    return BY_ID[map_id]
