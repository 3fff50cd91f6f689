"""The demo's meshes: closed enough to paint, unwrapped evenly, and the high one lies on the low one."""

from __future__ import annotations

import numpy as np
import pytest
from scipy.spatial import cKDTree

from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.inspect.uv_facts import triangle_areas, triangle_uvs, uv_areas
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.seams import corner_edges
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.demo.lantern import MTL, high_obj, low_obj

PARTS = ("Tank", "Right tube", "Left tube", "Chimney", "Burner", "Globe", "Hood", "Finial", "Filler cap", "Wick wheel", "Cage", "Bail", "Grip")


@pytest.fixture(scope="module")
def low() -> Model:
    return read_mesh(low_obj(), "storm_lantern.obj", {"storm_lantern.mtl": MTL.encode()})


@pytest.fixture(scope="module")
def high() -> Model:
    return read_mesh(high_obj(), "storm_lantern_high.obj", {"storm_lantern.mtl": MTL.encode()})


def test_two_sheets_named_parts_and_a_fair_size(low: Model) -> None:
    assert low.parts == PARTS
    assert [p.name for p in plan_sheets(low)] == ["Enamel", "Fittings"]
    assert 5_000 <= len(low.triangles) <= 15_000
    assert np.mean(np.diff(low.face_starts) == 4) > 0.9
    assert find_problems(low, plan_sheets(low)) == []


def test_texel_density_is_even_on_each_sheet(low: Model) -> None:
    areas, uv = triangle_areas(low), np.abs(uv_areas(triangle_uvs(low)))
    for plan in plan_sheets(low):
        mine = np.isin(low.triangle_face, plan.faces) & (areas > 1e-9)
        density = np.sqrt(uv[mine] / areas[mine])
        low_end, high_end = np.percentile(density, [5, 95])
        assert high_end / low_end < 1.6


def test_faces_look_outward(low: Model) -> None:
    """Rays from all around meet the front of what they hit first."""
    directions = np.random.default_rng(3).normal(size=(600, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    centre = np.array([0.0, 1.1, 0.0])
    hits = RayCaster(low).cast(centre - 5 * directions + np.random.default_rng(4).normal(0, 0.3, (600, 3)), directions)
    met = hits.triangle >= 0
    assert met.sum() > 300
    p = low.positions[low.triangles[hits.triangle[met]]].astype(float)
    facing = np.einsum("ij,ij->i", np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), directions[met])
    assert np.mean(facing < 0) > 0.99


def test_the_high_mesh_lies_on_the_low_one(low: Model, high: Model) -> None:
    assert high.parts == PARTS
    assert len(high.triangles) > 6 * len(low.triangles)
    centres = low.positions[low.triangles].mean(axis=1)
    distance, _ = cKDTree(high.positions).query(centres)
    assert np.percentile(distance, 99) < 0.03 * low.diagonal
    assert np.abs(np.array(high.bounds) - np.array(low.bounds)).max() < 0.02


def test_normals_are_hard_only_where_uvs_are_cut_and_point_out(low: Model) -> None:
    """Else a renderer mixes baked normals of two faces across the edge: a line of dots along the hood."""
    assert low.file_normals is not None
    key, first, second = corner_edges(low)
    order = np.argsort(key, kind="stable")
    a, b = order[:-1], order[1:]
    uv = low.uv_layouts[0].uvs[low.uv_layouts[0].corner_uv]
    within = (key[a] == key[b]) & np.all(uv[first[a]] == uv[first[b]], axis=1) & np.all(uv[second[a]] == uv[second[b]], axis=1)
    assert within.sum() > 5000
    for end in (first, second):
        cosine = (low.file_normals[end[a[within]]] * low.file_normals[end[b[within]]]).sum(axis=1)
        assert cosine.min() > 0.9999
    p = low.positions[low.triangles].astype(np.float64)
    across = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    facing = (low.file_normals[low.triangle_corners] * across[:, None]).sum(axis=2) / np.maximum(np.linalg.norm(across, axis=1), 1e-12)[:, None]
    assert facing.min() > 0.5
