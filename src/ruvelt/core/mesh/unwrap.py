"""UV layouts: automatic unwrap and packing, and islands moved by hand."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Annotated

import numpy as np
import xatlas
from numpy.typing import NDArray
from pydantic import BaseModel, ConfigDict, Field

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.cuts import components, corner_labels, cut_edges
from ruvelt.core.mesh.model import Model, Polygons, TextureCoords
from ruvelt.core.mesh.packing import Island, pack
from ruvelt.core.mesh.topology import face_of_corner, islands

Progress = Callable[[int, int, str], None]
#: Triangles that charts are looked for in at once: the time that takes grows with their square. Larger pieces are halved.
AT_ONCE = 12_000
#: More triangles are refused: laying them out would take the better part of an hour.
MOST_TRIANGLES = 2_000_000
#: How far corners at a cut are drawn into their faces while charts are looked for, which join what lies at one place: a share of the edge.
_APART = 1e-4


class UnwrapSettings(BaseModel):
    """How a model is unwrapped.

    padding : least distance of islands from each other and from the border, in texels of their sheet
    hard_edges, seams : whether edges sharper than the crease angle, and those marked as seams, are always cut
    fewer : 0 for many islands without stretch, 1 for as few as bear it
    one_density : whether all sheets get as many texels an object unit; factors : of parts that shall have more or fewer, by name
    """

    model_config = ConfigDict(extra="forbid", frozen=True)

    padding: Annotated[float, Field(ge=0, le=64, allow_inf_nan=False)] = 4
    hard_edges: bool = False
    seams: bool = True
    fewer: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5
    one_density: bool = True
    factors: dict[Annotated[str, Field(max_length=1000)], Annotated[float, Field(ge=0.05, le=20, allow_inf_nan=False)]] = {}


USUAL = UnwrapSettings()


@dataclass(frozen=True)
class Squares:
    """Which square each face is packed into, and how many texels a side each has; all lie over each other in the first tile."""

    of_face: NDArray[np.int32]
    sides: tuple[int, ...]

    @staticmethod
    def one(model: Model, side: int = 1024) -> Squares:
        return Squares(np.zeros(model.face_count, np.int32), (side,))


def unwrap(
    model: Model,
    progress: Progress = lambda done, planned, what: None,
    squares: Squares | None = None,
    settings: UnwrapSettings = USUAL,
    seams: Iterable[tuple[int, int]] = (),
) -> Model:
    """The model with a new first UV layout "Unwrapped": charts with little stretch, their triangles counter-clockwise, packed into squares.

    seams : marked edges, pairs of welded vertices. Works part by part and piece by piece, so that progress is true and a stop is heard; islands
    never span parts or squares. Polygons that have to be cut inside become triangles. Older layouts are kept behind the new one. Raises InputError
    for more triangles than can be laid out.
    """
    total = len(model.triangles)
    if total > MOST_TRIANGLES:
        raise InputError(f"The model has {total:,} triangles; up to {MOST_TRIANGLES:,} are unwrapped here. Unwrap it in your modelling program.")
    squares = squares or Squares.one(model)
    marked = np.asarray(sorted(seams), np.int64).reshape(-1, 2) if settings.seams else np.zeros((0, 2), np.int64)
    progress(0, total, "Looking for edges to cut")
    cut = cut_edges(model, marked, model.crease_deg if settings.hard_edges else None)
    charts: list[Island] = []
    home: list[int] = []
    done = 0
    for part, square, rows in _pieces(model, squares, cut):
        progress(done, total, f"Unwrapping {model.parts[part]}")
        factor = np.float32(settings.factors.get(model.parts[part], 1.0))
        for island in _charts(model, rows, cut, settings.fewer):
            charts.append(replace(island, places=island.places * factor))
            home.append(square)
        done += len(rows)
    made = _laid_out(model, charts, np.asarray(home), squares, settings, lambda what: progress(done, total, what))
    progress(total, total, "Done")
    return made


def _pieces(model: Model, squares: Squares, cut: NDArray[np.bool_]) -> Iterator[tuple[int, int, NDArray[np.int64]]]:
    """Part, square and triangles of what charts are looked for in at once: whole surfaces between cuts where they are small enough."""
    part_of, square_of = model.face_part[model.triangle_face], squares.of_face[model.triangle_face]
    labels = components(model, cut, np.stack([part_of, square_of], axis=1))
    order = np.argsort(labels, kind="stable")
    bounds = np.flatnonzero(np.diff(labels[order], prepend=-1, append=labels.max(initial=0) + 1))
    middle = model.positions[model.triangles].mean(axis=1)
    waiting: list[NDArray[np.int64]] = []
    for a, b in pairwise(bounds):
        rows = order[a:b]
        part, square = int(part_of[rows[0]]), int(square_of[rows[0]])
        if waiting and (part_of[waiting[0][0]], square_of[waiting[0][0]]) != (part, square):
            yield int(part_of[waiting[0][0]]), int(square_of[waiting[0][0]]), np.concatenate(waiting)
            waiting = []
        for piece in _halved(rows, middle):
            if sum(map(len, waiting)) + len(piece) > AT_ONCE:
                yield part, square, np.concatenate(waiting)
                waiting = []
            waiting.append(piece)
    if waiting:
        yield int(part_of[waiting[0][0]]), int(square_of[waiting[0][0]]), np.concatenate(waiting)


def _halved(rows: NDArray[np.int64], middle: NDArray[np.float32]) -> list[NDArray[np.int64]]:
    """Triangles in pieces of AT_ONCE at most, halved across the longest side of their box."""
    if len(rows) <= AT_ONCE:
        return [rows]
    axis = int(np.argmax(np.ptp(middle[rows], axis=0)))
    order = rows[np.argsort(middle[rows, axis], kind="stable")]
    return [*_halved(order[: len(order) // 2], middle), *_halved(order[len(order) // 2 :], middle)]


def _charts(model: Model, rows: NDArray[np.int64], cut: NDArray[np.bool_], fewer: float) -> list[Island]:
    """Charts of some triangles, in object units, none of them mirrored."""
    labels = corner_labels(model, cut, rows)
    vertex = model.triangles[rows]
    count = int(labels.max()) + 1
    place = np.zeros((count, 3), np.float64)
    place[labels.ravel()] = model.positions[vertex.ravel()]
    # What lies at one place is joined again; corners at a cut are drawn apart by less than anybody sees.
    welded = np.zeros(count, np.int64)
    welded[labels.ravel()] = model.welded[vertex.ravel()]
    shared = np.bincount(welded, minlength=int(welded.max()) + 1)[welded] > 1
    if shared.any():
        middle = np.repeat(model.positions[vertex].astype(np.float64).mean(axis=1), 3, axis=0)
        sums = np.stack([np.bincount(labels.ravel(), weights=middle[:, k], minlength=count) for k in range(3)], axis=1)
        centre = sums / np.bincount(labels.ravel(), minlength=count)[:, None]
        place[shared] += (centre[shared] - place[shared]) * _APART
    atlas = xatlas.Atlas()
    atlas.add_mesh(np.ascontiguousarray(place, np.float32), np.ascontiguousarray(labels, np.uint32))
    options, packing = xatlas.ChartOptions(), xatlas.PackOptions()
    options.max_cost, options.fix_winding = float(2 * 8 ** (2 * fewer - 1)), True
    unit = 256 / model.diagonal
    packing.texels_per_unit, packing.rotate_charts, packing.bruteForce = unit, False, False
    atlas.generate(options, packing)
    _, triangles, uvs = atlas.get_mesh(0)
    corners = np.asarray(triangles, np.int64).reshape(-1, 3)
    places = np.asarray(uvs, np.float64) * np.array([atlas.width, atlas.height]) / unit
    return [_true_to_size(model, island) for island in _islands_of(rows, corners, places)]


def _true_to_size(model: Model, island: Island) -> Island:
    """As large as its surface is: charts come rounded to a grid."""
    p = model.positions[model.triangles[island.rows]].astype(np.float64)
    surface = float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2)
    flat = island.area
    return replace(island, places=island.places * np.float32(np.sqrt(surface / flat))) if flat > 0 and surface > 0 else island


def _islands_of(rows: NDArray[np.int64], corners: NDArray[np.int64], places: NDArray[np.float64]) -> list[Island]:
    """Islands of triangles by the places they share; a mirrored triangle among others is an island of its own, turned over."""
    from scipy.sparse import coo_matrix
    from scipy.sparse.csgraph import connected_components

    p = places[corners]
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    over = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) < 0
    # Corners of triangles that face the other way count as others.
    own = corners + np.where(over, len(places), 0)[:, None]
    size = 2 * len(places)
    i, j = np.concatenate([own[:, 0], own[:, 1]]), np.concatenate([own[:, 1], own[:, 2]])
    label = connected_components(coo_matrix((np.ones(len(i), bool), (i, j)), shape=(size, size)), directed=False)[1][own[:, 0]]
    order = np.argsort(label, kind="stable")
    found = []
    for mine in np.split(order, np.flatnonzero(np.diff(label[order])) + 1):
        used, local = np.unique(corners[mine].ravel(), return_inverse=True)
        there = places[used] * ([-1, 1] if over[mine[0]] else [1, 1])
        found.append(Island(rows[mine], local.reshape(-1, 3).astype(np.int32), (there - there.min(axis=0)).astype(np.float32)))
    return found


def _laid_out(
    model: Model, charts: list[Island], home: NDArray[np.int64], squares: Squares, settings: UnwrapSettings, tick: Callable[[str], None]
) -> Model:
    """All charts packed square by square, all squares over each other in the first tile."""
    used = sorted(set(home.tolist()))
    mine = {s: [charts[i] for i in np.flatnonzero(home == s)] for s in used}
    padding = {s: settings.padding / squares.sides[s] for s in used}
    packed = {s: pack(mine[s], padding[s], None, tick) for s in used}
    if settings.one_density and len(used) > 1:
        # Texels an object unit: the least that fits anywhere, everywhere.
        density = min(packed[s].scale * squares.sides[s] for s in used)
        for s in used:
            if packed[s].scale * squares.sides[s] > density * 1.001:
                packed[s] = pack(mine[s], padding[s], density / squares.sides[s], tick)
        # A scale at which the greedy packer finds no place is missed by a hair; what is left over is shrunk by it.
        density = min(packed[s].scale * squares.sides[s] for s in used)
        packed = {s: packed[s].shrunk(density / squares.sides[s]) for s in used}
    corner_uv, found, first = np.empty((len(model.triangles), 3), np.int64), [np.zeros((0, 2), np.float32)], 0
    for s in used:
        for island, places in zip(mine[s], packed[s].places, strict=True):
            corner_uv[island.rows] = island.corners + first
            found.append(places)
            first += len(places)
    return _with_layout(model, corner_uv, np.concatenate(found))


def filled(model: Model, squares: Squares) -> list[float]:
    """How much of each square the first layout covers, 0–1."""
    if not model.uv_layouts:
        return [0.0 for _ in squares.sides]
    layout = model.uv_layouts[0]
    p = layout.uvs[np.maximum(layout.corner_uv[model.triangle_corners], 0)].astype(np.float64)
    a, b = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]) / 2
    sums = np.bincount(squares.of_face[model.triangle_face], weights=area, minlength=len(squares.sides))
    return [float(s) for s in sums]


def _with_layout(model: Model, corner_uv: NDArray[np.int64], uvs: NDArray[np.float32]) -> Model:
    """A model whose first layout gives each triangle corner a UV row; polygons whose triangles disagree are cut into triangles."""
    by_corner = np.full(len(model.corner_vertex), -1, np.int64)
    by_corner[model.triangle_corners.ravel()] = corner_uv.ravel()
    agree = (by_corner[model.triangle_corners] == corner_uv).all(axis=1)
    cut = np.zeros(model.face_count, bool)
    cut[model.triangle_face[~agree]] = True
    if cut.any():
        model, by_corner = _cut(model, cut, corner_uv, by_corner)
    layout = TextureCoords("Unwrapped", np.ascontiguousarray(uvs), by_corner.astype(np.int32))
    return replace(model, uv_layouts=(layout, *model.uv_layouts))


def _cut(model: Model, cut: NDArray[np.bool_], corner_uv: NDArray[np.int64], by_corner: NDArray[np.int64]) -> tuple[Model, NDArray[np.int64]]:
    """Replace marked polygons by their triangles, in place in the order of faces."""
    corners: list[NDArray[np.int64]] = []
    uv_rows: list[NDArray[np.int64]] = []
    sizes: list[int] = []
    source: list[int] = []
    first_triangle = np.searchsorted(model.triangle_face, np.arange(model.face_count + 1))
    for face in range(model.face_count):
        if cut[face]:
            for t in range(first_triangle[face], first_triangle[face + 1]):
                corners.append(model.triangle_corners[t].astype(np.int64))
                uv_rows.append(corner_uv[t])
                sizes.append(3)
                source.append(face)
        else:
            mine = np.arange(model.face_starts[face], model.face_starts[face + 1], dtype=np.int64)
            corners.append(mine)
            uv_rows.append(by_corner[mine])
            sizes.append(len(mine))
            source.append(face)
    kept, of = np.concatenate(corners), np.array(source)
    groups = tuple(replace(g, faces=np.flatnonzero(np.isin(of, g.faces)).astype(np.int32)) for g in model.groups)
    layouts = tuple(replace(u, corner_uv=np.ascontiguousarray(u.corner_uv[kept])) for u in model.uv_layouts)
    first_piece = np.searchsorted(of, np.arange(model.face_count)).astype(np.int32)
    whole = model.polygons or Polygons(model.face_starts, model.corner_vertex, np.arange(model.face_count, dtype=np.int32))
    made = replace(
        model,
        polygons=replace(whole, face=first_piece[whole.face]),
        face_starts=np.concatenate([[0], np.cumsum(sizes)]).astype(np.int32),
        corner_vertex=np.ascontiguousarray(model.corner_vertex[kept]),
        face_part=np.ascontiguousarray(model.face_part[of]),
        face_material=np.ascontiguousarray(model.face_material[of]),
        groups=groups,
        uv_layouts=layouts,
        file_normals=None if model.file_normals is None else np.ascontiguousarray(model.file_normals[kept]),
    )
    return made, np.concatenate(uv_rows)


# -- islands by hand ------------------------------------------------------------------------------------------------------------


def place_islands(model: Model, chosen: Iterable[int], *, move: tuple[float, float] = (0.0, 0.0), scale: float = 1.0, turn_deg: float = 0.0) -> Model:
    """Islands of the first layout turned (counter-clockwise) and scaled about their common centre, then moved by UV units.

    `chosen`: labels of `topology.islands`. Raises InputError when there is no layout, no such island, or one would leave the square
    it lies in.
    """
    layout, mine = _chosen(model, chosen)
    corners = np.flatnonzero(mine & (layout.corner_uv >= 0))
    rows, inverse = np.unique(layout.corner_uv[corners], return_inverse=True)
    places = layout.uvs[rows].astype(np.float64)
    tile = np.floor(places.mean(axis=0))
    centre = (places.min(axis=0) + places.max(axis=0)) / 2
    a = np.radians(turn_deg)
    matrix = scale * np.array([[np.cos(a), -np.sin(a)], [np.sin(a), np.cos(a)]])
    moved = (places - centre) @ matrix.T + centre + np.asarray(move)
    if (moved < tile - 1e-6).any() or (moved > tile + 1 + 1e-6).any():
        raise InputError("The island would leave the sheet. Move it less, or make it smaller first.")
    # Rows of their own, for another island may use the same place on the sheet.
    corner_uv = layout.corner_uv.copy()
    corner_uv[corners] = len(layout.uvs) + inverse.ravel()
    changed = replace(layout, uvs=np.concatenate([layout.uvs, moved.astype(np.float32)]), corner_uv=corner_uv.astype(np.int32))
    return _with_changed(model, _compact(changed))


def pack_islands(
    model: Model,
    squares: Squares | None = None,
    settings: UnwrapSettings = USUAL,
    tick: Callable[[str], None] = lambda what: None,
) -> Model:
    """All islands of the first layout packed anew; their proportions to each other stay, and mirrored ones are turned over."""
    if not model.uv_layouts:
        raise InputError("The model has no UVs to pack. Unwrap it first.")
    layout = model.uv_layouts[0]
    index = layout.corner_uv[model.triangle_corners]
    if (index < 0).any():
        raise InputError("Some faces have no UVs, so the islands cannot be packed. Unwrap the model instead.")
    squares = squares or Squares.one(model)
    # Each island on its own: laid over each other they would be taken for one.
    labels = islands(model, layout)[model.triangle_face]
    square_of = squares.of_face[model.triangle_face]
    charts: list[Island] = []
    home: list[int] = []
    order = np.argsort(labels, kind="stable")
    for rows in np.split(order, np.flatnonzero(np.diff(labels[order])) + 1):
        used, local = np.unique(index[rows].ravel(), return_inverse=True)
        charts.append(Island(rows, local.reshape(-1, 3).astype(np.int32), layout.uvs[used]))
        home.append(int(square_of[rows[0]]))
    kept = model.uv_layouts if layout.number >= 0 else model.uv_layouts[1:]
    # Sizes are what they were to each other in each square; between squares there is nothing to keep.
    alone = settings.model_copy(update={"one_density": False})
    packed = _laid_out(replace(model, uv_layouts=kept), charts, np.asarray(home), squares, alone, tick)
    return replace(packed, uv_layouts=(replace(packed.uv_layouts[0], name=_own_name(layout)), *packed.uv_layouts[1:]))


def _own_name(layout: TextureCoords) -> str:
    return f"{layout.name} (arranged)" if layout.number >= 0 else layout.name


def _with_changed(model: Model, layout: TextureCoords) -> Model:
    """A model painted by a changed first layout. The file's own stays behind it: its pictures lie by that."""
    first, *others = model.uv_layouts
    if first.number < 0:
        return replace(model, uv_layouts=(layout, *others))
    return replace(model, uv_layouts=(replace(layout, name=_own_name(first), number=-1), *model.uv_layouts))


def _chosen(model: Model, chosen: Iterable[int]) -> tuple[TextureCoords, NDArray[np.bool_]]:
    """The first layout, and which corners belong to chosen islands."""
    if not model.uv_layouts:
        raise InputError("The model has no UVs, so it has no islands. Unwrap it first.")
    labels = islands(model, model.uv_layouts[0])
    wanted = np.array(sorted(set(chosen)), np.int32)
    if not len(wanted) or not np.isin(wanted, labels).all():
        raise InputError("There is no such island any more. Choose one on the flat sheet.")
    return model.uv_layouts[0], np.isin(labels, wanted)[face_of_corner(model)]


def _compact(layout: TextureCoords) -> TextureCoords:
    """Without rows that no corner uses."""
    used, inverse = np.unique(layout.corner_uv[layout.corner_uv >= 0], return_inverse=True)
    corner_uv = layout.corner_uv.copy()
    corner_uv[corner_uv >= 0] = inverse.ravel()
    return replace(layout, uvs=np.ascontiguousarray(layout.uvs[used]), corner_uv=corner_uv.astype(np.int32))
