"""UV layouts: automatic unwrap and packing (xatlas), and islands moved by hand."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import replace

import numpy as np
import xatlas
from numpy.typing import NDArray

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.topology import face_of_corner, islands

Progress = Callable[[int, int, str], None]
#: Triangles by row of the model, their (t, 3) corners, and the (n, 2) places these count.
Chart = tuple[NDArray[np.int64], NDArray[np.uint32], NDArray[np.float32]]
#: Space between islands, texels of a sheet of PACK_SIDE texels; three mip levels stay apart.
PADDING = 8
PACK_SIDE = 1024
#: Layout units a unit of space gets before packing; only ratios matter.
_SCALE = 256.0


def unwrap(model: Model, progress: Progress = lambda done, planned, what: None, squares: NDArray[np.int32] | None = None) -> Model:
    """The model with a new first UV layout "Unwrapped": charts with little stretch, one density, packed into the square.

    squares : (f,) int32, which square each face is packed into (they all lie in the first tile); None for one square of all

    Works part by part, so that progress is true and a stop is heard; islands never span parts. Polygons that have to be cut inside
    become triangles. Older layouts are kept behind the new one.
    """
    total = len(model.triangles)
    done = 0
    charts: list[Chart] = []
    square_of = np.zeros(total, np.int32) if squares is None else squares[model.triangle_face]
    part_of = model.face_part[model.triangle_face]
    home: list[int] = []
    for part in range(len(model.parts)):
        for square in np.unique(square_of[part_of == part]):
            rows = np.flatnonzero((part_of == part) & (square_of == square))
            progress(done, total, f"Unwrapping {model.parts[part]}")
            charts.append((rows, *_charts(model, rows)))
            home.append(int(square))
            done += len(rows)
    progress(done, total, "Packing")
    corner_uv, uvs = _packed_squares(charts, home, total)
    progress(total, total, "Done")
    return _with_layout(model, corner_uv, uvs)


def _charts(model: Model, rows: NDArray[np.int64]) -> tuple[NDArray[np.uint32], NDArray[np.float32]]:
    """Charts of some triangles: (t, 3) rows of (n, 2) coordinates, _SCALE to a unit of space."""
    place, index = np.unique(model.welded[model.triangles[rows]].ravel(), return_inverse=True)
    first = np.full(int(model.welded.max()) + 1, -1, np.int64)
    first[model.welded[::-1]] = np.arange(model.vertex_count)[::-1]
    atlas = xatlas.Atlas()
    atlas.add_mesh(np.ascontiguousarray(model.positions[first[place]]), index.reshape(-1, 3).astype(np.uint32))
    pack = xatlas.PackOptions()
    pack.texels_per_unit = _SCALE / model.diagonal
    atlas.generate(xatlas.ChartOptions(), pack)
    _, triangles, uvs = atlas.get_mesh(0)
    return np.asarray(triangles, np.uint32).reshape(-1, 3), np.asarray(uvs, np.float32) * np.array([atlas.width, atlas.height], np.float32)


def _packed_squares(charts: list[Chart], home: list[int], total: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """Charts packed square by square, all squares over each other in the first tile."""
    corner_uv, found = np.empty((total, 3), np.int64), [np.zeros((0, 2), np.float32)]
    for square in sorted(set(home)):
        mine = [c for c, h in zip(charts, home, strict=True) if h == square]
        index, some = _packed(mine, total)
        rows = np.concatenate([r for r, _, _ in mine])
        corner_uv[rows] = index[rows] + sum(len(f) for f in found)
        found.append(some)
    return corner_uv, np.concatenate(found)


def _packed(charts: list[Chart], total: int) -> tuple[NDArray[np.int64], NDArray[np.float32]]:
    """All charts packed into one square: (t, 3) rows of (n, 2) UVs, v up, for every triangle."""
    atlas = xatlas.Atlas()
    for _, triangles, uvs in charts:
        atlas.add_uv_mesh(np.ascontiguousarray(uvs), np.ascontiguousarray(triangles))
    pack = xatlas.PackOptions()
    pack.resolution, pack.padding, pack.bilinear = PACK_SIDE, PADDING, True
    pack.rotate_charts = True
    atlas.generate(xatlas.ChartOptions(), pack)
    corner_uv, found, first = np.empty((total, 3), np.int64), [], 0
    for i, (rows, _, _) in enumerate(charts):
        _, triangles, uvs = atlas.get_mesh(i)
        corner_uv[rows] = np.asarray(triangles).reshape(-1, 3) + first
        found.append(np.asarray(uvs, np.float32) * np.array([atlas.width, atlas.height], np.float32))
        first += len(found[-1])
    uvs = np.concatenate(found)
    # One scale for both axes keeps angles; what is not square stays at the bottom left.
    return corner_uv, (uvs / np.float32(max(atlas.width, atlas.height))).astype(np.float32)


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
    made = replace(
        model,
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


def pack_islands(model: Model, squares: NDArray[np.int32] | None = None) -> Model:
    """All islands of the first layout packed anew; their proportions to each other stay. `squares` as in `unwrap`."""
    if not model.uv_layouts:
        raise InputError("The model has no UVs to pack. Unwrap it first.")
    layout = model.uv_layouts[0]
    index = layout.corner_uv[model.triangle_corners]
    if (index < 0).any():
        raise InputError("Some faces have no UVs, so the islands cannot be packed. Unwrap the model instead.")
    # Each island on its own: laid over each other they would be taken for one.
    labels = islands(model, layout)[model.triangle_face]
    square_of = np.zeros(len(index), np.int32) if squares is None else squares[model.triangle_face]
    charts: list[Chart] = []
    home: list[int] = []
    for label in np.unique(labels):
        rows = np.flatnonzero(labels == label)
        used, local = np.unique(index[rows].ravel(), return_inverse=True)
        charts.append((rows, local.reshape(-1, 3).astype(np.uint32), layout.uvs[used] * np.float32(PACK_SIDE)))
        home.append(int(square_of[rows[0]]))
    corner_uv, uvs = _packed_squares(charts, home, len(index))
    kept = model.uv_layouts if layout.number >= 0 else model.uv_layouts[1:]
    packed = _with_layout(replace(model, uv_layouts=kept), corner_uv, uvs)
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
