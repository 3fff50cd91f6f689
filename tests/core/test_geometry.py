"""Triangles, normals, topology and sheets against known shapes."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.mesh.topology import connected_pieces, islands
from ruvelt.core.mesh.triangulate import triangulate
from tests.meshes import CUBE_MTL, cube_obj, globe, model_of, split_square, square


def area_of(points: np.ndarray, triangles: np.ndarray) -> float:
    p = points[triangles]
    return float(np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2)


def test_quads_split_along_the_shorter_diagonal() -> None:
    points = np.array([[0, 0, 0], [3, 0, 0], [3, 1, 0], [0, 0.5, 0]], np.float32)
    corners, face = triangulate(points, np.array([0, 4], np.int32), np.arange(4, dtype=np.int32))
    assert_array_equal(face, [0, 0])
    edges = {frozenset(map(int, e)) for t in corners for e in ((t[0], t[1]), (t[1], t[2]), (t[2], t[0]))}
    assert frozenset({1, 3}) in edges


def test_a_concave_quad_keeps_its_shape() -> None:
    points = np.array([[0, 0, 0], [2, 0, 0], [0.4, 0.4, 0], [0, 2, 0]], np.float32)
    corners, _ = triangulate(points, np.array([0, 4], np.int32), np.arange(4, dtype=np.int32))
    assert area_of(points.astype(float), corners) == pytest.approx(0.8)


def test_concave_polygons_are_clipped_not_fanned() -> None:
    star = np.array([[np.cos(a) * r, np.sin(a) * r, 0] for a, r in zip(np.linspace(0, 2 * np.pi, 10, endpoint=False), [2, 0.7] * 5, strict=True)])
    corners, face = triangulate(star.astype(np.float32), np.array([0, 10], np.int32), np.arange(10, dtype=np.int32))
    assert len(corners) == 8
    assert_array_equal(face, 0)
    shoelace = 0.5 * abs(np.dot(star[:, 0], np.roll(star[:, 1], 1)) - np.dot(star[:, 1], np.roll(star[:, 0], 1)))
    assert area_of(star, corners) == pytest.approx(shoelace, rel=1e-6)
    p = star[corners]
    assert (np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])[:, 2] > 0).all()


def test_a_sphere_gets_radial_normals() -> None:
    ball = globe(64, 32)
    normals = corner_normals(ball)
    outward = ball.positions[ball.corner_vertex]
    cosine = np.einsum("ij,ij->i", normals, outward)
    assert cosine.min() > np.cos(np.radians(2.5))
    assert_allclose(np.linalg.norm(normals, axis=1), 1, atol=1e-5)


def test_a_cube_keeps_hard_edges() -> None:
    model = read_mesh(cube_obj(), "cube.obj")
    normals = corner_normals(model).reshape(6, 4, 3)
    for face in normals:
        assert_allclose(face, face[:1].repeat(4, axis=0), atol=1e-6)
        assert np.abs(face[0]).max() == pytest.approx(1.0)


def test_degenerate_faces_get_a_unit_normal_without_warnings() -> None:
    flat = model_of(np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0]]), [[0, 1, 2]])
    with np.errstate(all="raise"):
        assert_allclose(np.linalg.norm(corner_normals(flat), axis=1), 1)


def test_pieces_and_islands() -> None:
    model = split_square()
    assert_array_equal(connected_pieces(model), [0, 0])
    assert_array_equal(islands(model, model.uv_layouts[0]), [0, 1])
    two = model_of(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [5, 0, 0], [6, 0, 0], [5, 1, 0]]), [[0, 1, 2], [3, 4, 5]])
    assert_array_equal(connected_pieces(two), [0, 1])
    assert_array_equal(islands(two, None), [-1, -1])


def test_welding_joins_vertices_that_files_split() -> None:
    split = model_of(np.array([[0, 0, 0], [1, 0, 0], [0, 1, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]]), [[0, 1, 2], [3, 4, 5]])
    assert_array_equal(connected_pieces(split), [0, 0])


@pytest.mark.parametrize(("rule", "names"), [("auto", ["Wood", "Iron"]), ("materials", ["Wood", "Iron"]), ("parts", ["Lower", "Upper"])])
def test_sheets_by_material_or_part(rule: str, names: list[str]) -> None:
    model = read_mesh(cube_obj(), "cube.obj", {"cube.mtl": CUBE_MTL})
    plans = plan_sheets(model, rule)  # type: ignore[arg-type]
    assert [p.name for p in plans] == names
    assert sorted(f for p in plans for f in p.faces.tolist()) == list(range(6))


def tiled() -> object:
    """Four squares on tiles 1001, 1002, 1011 and 1001 again."""
    positions, uvs, faces = [], [], []
    for i, (u, v) in enumerate([(0, 0), (1, 0), (0, 1), (0, 0)]):
        positions += [[i * 2 + x, y, 0] for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        m = 0.1 if i < 3 else 0.6
        uvs += [[u + m + x * 0.3, v + m + y * 0.3] for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        faces.append([i * 4 + k for k in range(4)])
    return model_of(np.array(positions), faces, np.array(uvs))


def test_numbered_tiles() -> None:
    plans = plan_sheets(tiled())  # type: ignore[arg-type]
    assert [(p.name, p.tile_number, p.faces.tolist()) for p in plans] == [("1001", 1001, [0, 3]), ("1002", 1002, [1]), ("1011", 1011, [2])]


def test_tiles_left_of_the_first_are_refused() -> None:
    model = square()
    moved = model_of(model.positions, [[0, 1, 2, 3]], model.uv_layouts[0].uvs - 1.0)
    with pytest.raises(InputError, match="left of or below"):
        plan_sheets(moved, "tiles")


def test_no_uvs_no_sheets() -> None:
    with pytest.raises(InputError, match="no UVs"):
        plan_sheets(model_of(np.eye(3), [[0, 1, 2]]))
