"""Corners of a sheet as a GLB wants them, and the tree of nodes they go back into."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.mesh.facts import SceneNode
from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.output.display import SheetDisplay

F32 = NDArray[np.float32]


@dataclass(frozen=True, eq=False)
class SheetCorners:
    """Indexed corners of a sheet, object space.

    rows : (n, 10 + 2 sets [+ 4]) float32 position, normal, tangent, UV sets (v down), colour (linear RGBA) where there is one
    indices : (t, 3) int64; part : (t,) int32, ascending; painted : which of the UV sets the maps lie by
    """

    rows: F32
    indices: NDArray[np.int64]
    part: NDArray[np.int32]
    uv_sets: int
    painted: int
    coloured: bool


def ordered_sets(model: Model) -> tuple[list[TextureCoords], int]:
    """UV sets in the file's order, one that was made here first; and the place of the painted one among them."""
    painted = model.uv_layouts[0]
    order = sorted(model.uv_layouts, key=lambda u: (u.number, u is not painted))
    return order, next(i for i, u in enumerate(order) if u is painted)


def sheet_corners(display: SheetDisplay) -> SheetCorners:
    """Every corner of a sheet with all that goes out with it; a triangle of a repeating layout once, by its UVs as they are."""
    samples, model = display.sheet_samples, display.samples.model
    triangles, once = np.unique(samples.triangles, return_index=True)
    corners = model.triangle_corners[triangles].reshape(-1)
    tangents = samples.triangle_tangents[once].reshape(-1, 4)
    sets, painted = ordered_sets(model)
    columns = [samples.alike[once].reshape(-1, 1).view(np.float32), tangents + np.float32(0)]
    uvs = []
    for layout in sets:
        index = layout.corner_uv[corners]
        uv = layout.uvs[np.maximum(index, 0)] * (index >= 0)[:, None].astype(np.float32)
        if layout is sets[painted]:
            # Maps of a numbered square lie in the first one.
            uv = uv - np.asarray(samples.plan.tile, np.float32)
        uvs.append(np.stack([uv[:, 0], 1 - uv[:, 1]], axis=1).astype(np.float32))
        columns.append(uvs[-1])
    coloured = display.evaluator.document.settings.multiply_vertex_colours and model.vertex_colors is not None
    colour = []
    if coloured:
        assert model.vertex_colors is not None
        encoded = model.vertex_colors[model.corner_vertex[corners]].astype(np.float64)
        colour = [np.concatenate([srgb_to_linear_float(encoded[:, :3]), encoded[:, 3:]], axis=1).astype(np.float32)]
    number, first = equal_rows(np.ascontiguousarray(np.concatenate([*columns, *colour], axis=1)))
    positions, normals = (a[once].reshape(-1, 3)[first] for a in (samples.triangle_positions, samples.triangle_normals))
    rows = np.concatenate([positions, normals, tangents[first], *(u[first] for u in uvs), *(c[first] for c in colour)], axis=1)
    part = model.face_part[model.triangle_face[triangles]]
    order = np.argsort(part, kind="stable")
    indices = number.reshape(-1, 3).astype(np.int64)[order]
    return SheetCorners(np.nan_to_num(rows) + np.float32(0), indices, part[order], len(sets), painted, coloured)


def place_locally(corners: SheetCorners, part: int, world: NDArray[np.float64]) -> tuple[F32, NDArray[np.uint32]]:
    """Rows and (3 t,) indices of one part's corners in the space of its node, whose world matrix is given."""
    first, end = np.searchsorted(corners.part, [part, part + 1])
    mine = corners.indices[first:end]
    used, local = np.unique(mine.ravel(), return_inverse=True)
    rows = corners.rows[used].astype(np.float64)
    indices = local.reshape(-1, 3)
    linear, place = world[:3, :3], world[:3, 3]
    if not np.array_equal(world, np.eye(4)):
        inverse = np.linalg.inv(linear)
        rows[:, :3] = (rows[:, :3] - place) @ inverse.T
        rows[:, 3:6] = unit_rows(rows[:, 3:6] @ linear)
        rows[:, 6:9] = unit_rows(rows[:, 6:9] @ inverse.T)
        if np.linalg.det(linear) < 0:
            rows[:, 9] *= -1
            indices = indices[:, ::-1]
    return rows.astype(np.float32), np.ascontiguousarray(indices.ravel(), np.uint32)


def unit_rows(vectors: NDArray[np.float64]) -> NDArray[np.float64]:
    return np.asarray(vectors / np.maximum(np.linalg.norm(vectors, axis=1, keepdims=True), 1e-30), np.float64)


# -- nodes ----------------------------------------------------------------------------------------------------------------------


def node_tree(model: Model) -> tuple[list[dict[str, Any]], list[NDArray[np.float64]]]:
    """Nodes as glTF writes them, "mesh" standing for the part they show, and their world matrices.

    A node that glTF's three steps of scaling, turning and moving cannot tell stays where its parent is; its mesh is placed all the same.
    """
    nodes = model.nodes or tuple(SceneNode(p, part=i) for i, p in enumerate(model.parts))
    made: list[dict[str, Any]] = []
    worlds: list[NDArray[np.float64]] = []
    for node in nodes:
        steps = _steps(np.array(node.matrix, np.float64).reshape(4, 4).T)
        local, entry = (np.eye(4), {}) if steps is None else steps
        worlds.append((worlds[node.parent] if node.parent >= 0 else np.eye(4)) @ local)
        if node.name:
            entry = {"name": node.name, **entry}
        if node.part >= 0:
            entry["mesh"] = node.part
        made.append(entry)
        if node.parent >= 0:
            made[node.parent].setdefault("children", []).append(len(made) - 1)
    return made, worlds


def _steps(matrix: NDArray[np.float64]) -> tuple[NDArray[np.float64], dict[str, Any]] | None:
    """A matrix as translation, rotation (x, y, z, w) and scale, and the matrix they make; None where they cannot make it."""
    linear = matrix[:3, :3]
    scale = np.linalg.norm(linear, axis=0)
    if not np.isfinite(matrix).all() or scale.min() < 1e-9 * max(scale.max(), 1e-30) or scale.max() < 1e-12:
        return None
    turn = linear / scale
    if np.linalg.det(turn) < 0:
        scale[0], turn[:, 0] = -scale[0], -turn[:, 0]
    if np.abs(turn.T @ turn - np.eye(3)).max() > 1e-5:
        return None
    entry: dict[str, Any] = {}
    if np.abs(matrix[:3, 3]).max() > 0:
        entry["translation"] = [float(v) for v in matrix[:3, 3]]
    if np.abs(turn - np.eye(3)).max() > 1e-9:
        entry["rotation"] = [float(v) for v in _quaternion(turn)]
    if np.abs(scale - 1).max() > 1e-9:
        entry["scale"] = [float(v) for v in scale]
    return matrix, entry


def _quaternion(turn: NDArray[np.float64]) -> NDArray[np.float64]:
    """(x, y, z, w) of a rotation: the eigenvector of Bar-Itzhack's symmetric matrix (2000), of unit length whatever the rounding."""
    (a, b, c), (d, e, f), (g, h, i) = turn
    k = np.array(
        [[a - e - i, b + d, c + g, h - f], [b + d, e - a - i, f + h, c - g], [c + g, f + h, i - a - e, d - b], [h - f, c - g, d - b, a + e + i]]
    )
    values, vectors = np.linalg.eigh(k)
    q = vectors[:, int(np.argmax(values))]
    return np.asarray(q if q[3] >= 0 else -q, np.float64)
