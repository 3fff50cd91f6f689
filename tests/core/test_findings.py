"""Findings on models with known faults, and none on clean ones."""

from __future__ import annotations

import numpy as np
import pytest

from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.demo.lantern import low_obj
from tests.meshes import model_of, split_square, square


def kinds(model: Model) -> dict[str, list[int]]:
    plans = plan_sheets(model) if model.uv_layouts else []
    return {f.kind: f.faces.tolist() for f in find_problems(model, plans)}


def strip(uvs: list[list[float]]) -> Model:
    """Two unit squares side by side in space, with eight UVs of their own."""
    positions = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0], [2, 0, 0], [3, 0, 0], [3, 1, 0], [2, 1, 0]])
    return model_of(positions, [[0, 1, 2, 3], [4, 5, 6, 7]], np.array(uvs))


def box(u: float, v: float, w: float, h: float) -> list[list[float]]:
    return [[u, v], [u + w, v], [u + w, v + h], [u, v + h]]


@pytest.mark.parametrize("model", [square(), split_square(), read_mesh(low_obj(), "lantern.obj")], ids=["square", "split", "lantern"])
def test_nothing_on_clean_models(model: Model) -> None:
    assert set(kinds(model)) <= {"uneven-density"}


def test_the_demo_lantern_is_entirely_clean() -> None:
    assert kinds(read_mesh(low_obj(), "lantern.obj")) == {}


def test_overlap_names_both_faces() -> None:
    assert kinds(strip(box(0.1, 0.1, 0.4, 0.4) + box(0.3, 0.3, 0.4, 0.4)))["overlapping-uvs"] == [0, 1]


def test_touching_islands_do_not_overlap() -> None:
    assert "overlapping-uvs" not in kinds(strip(box(0.1, 0.1, 0.4, 0.4) + box(0.5, 0.1, 0.4, 0.4)))


def test_beyond_the_square_is_folded_into_it() -> None:
    found = kinds(strip(box(0.1, 0.1, 0.3, 0.3) + box(0.8, 0.1, 0.3, 0.3)))
    assert found["folded-uvs"] == [1]
    assert "outside-square" not in found
    assert kinds(strip(box(0.1, 0.1, 0.3, 0.3) + box(-3.5, 7.1, 0.3, 0.3)))["folded-uvs"] == [1]
    assert not {"folded-uvs", "outside-square"} & set(kinds(strip(box(0.1, 0.1, 0.3, 0.3) + box(0.5, 0.1, 0.5, 0.9))))


def test_flipped_when_few_are() -> None:
    uvs = [box(0.02 + 0.1 * i, 0.1, 0.08, 0.08) for i in range(9)]
    positions = np.array([[2 * i + x, y, 0] for i in range(9) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))])
    uvs[4] = [uvs[4][1], uvs[4][0], uvs[4][3], uvs[4][2]]
    model = model_of(positions, [[4 * i + k for k in range(4)] for i in range(9)], np.array([p for u in uvs for p in u]))
    assert kinds(model)["flipped-uvs"] == [4]


def test_every_mirrored_island_is_told_unless_it_lies_on_its_twin() -> None:
    """Three of four islands mirrored: all are told. One that lies on an upright one shares its texels on purpose."""
    uvs = [box(0.02 + 0.2 * i, 0.1, 0.18, 0.18) for i in range(4)]
    positions = np.array([[2 * i + x, y, 0] for i in range(4) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))])
    faces = [[4 * i + k for k in range(4)] for i in range(4)]
    turned = [u if i == 2 else [u[1], u[0], u[3], u[2]] for i, u in enumerate(uvs)]
    model = model_of(positions, faces, np.array([p for u in turned for p in u]))
    assert kinds(model)["flipped-uvs"] == [0, 1, 3]
    shared = list(uvs)
    shared[3] = [uvs[0][1], uvs[0][0], uvs[0][3], uvs[0][2]]
    rows = [4 * i + k for i in range(4) for k in range(4)]
    assert "flipped-uvs" not in kinds(model_of(positions, faces, np.array([p for u in shared for p in u]), rows))
    everything = [[u[1], u[0], u[3], u[2]] for u in uvs]
    assert kinds(model_of(positions, faces, np.array([p for u in everything for p in u])))["flipped-uvs"] == [0, 1, 2, 3]


def test_uneven_density() -> None:
    found = kinds(strip(box(0.05, 0.05, 0.7, 0.7) + box(0.8, 0.8, 0.1, 0.1)))
    assert found["uneven-density"] == [1]


def test_zero_area_loose_and_missing() -> None:
    positions = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0.5, 0.5, 0.0], [9, 9, 9]])
    uvs = np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9]])
    model = model_of(positions, [[0, 1, 2], [0, 2, 3]], uvs, [0, 1, 2, -1, -1, -1])
    found = kinds(model)
    assert found["zero-area"] == [1]
    assert found["missing-uvs"] == [1]
    assert "loose-vertices" in found


def test_no_uvs_at_all_is_told_and_stops_nothing() -> None:
    model = model_of(np.eye(3), [[0, 1, 2]])
    first = find_problems(model, [])[0]
    assert (first.kind, first.level, first.faces.tolist()) == ("missing-uvs", "warns", [0])
