"""Seams split islands for picking: pieces, labels that stay, loops over quads."""

from __future__ import annotations

import numpy as np
from numpy.testing import assert_array_equal

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.seams import edge_loop, edge_near, split_islands
from ruvelt.core.mesh.topology import islands
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.faces import FaceIndex
from tests.meshes import globe, model_of, split_square


def grid(n: int = 4) -> Model:
    """n × n quads over the unit square of XY and of the sheet; face y · n + x."""
    x, y = np.meshgrid(np.arange(n + 1), np.arange(n + 1))
    points = np.stack([x.ravel(), y.ravel(), np.zeros(x.size)], axis=1) / n
    faces = [[y * (n + 1) + x, y * (n + 1) + x + 1, (y + 1) * (n + 1) + x + 1, (y + 1) * (n + 1) + x] for y in range(n) for x in range(n)]
    return model_of(points, faces, points[:, :2])


def edge(model: Model, *places: tuple[float, float]) -> tuple[int, int]:
    ids = sorted(int(model.welded[int(np.argmin(np.linalg.norm(model.positions[:, :2] - p, axis=1)))]) for p in places)
    return ids[0], ids[1]


def test_a_loop_goes_straight_through_the_quads() -> None:
    model = grid()
    middle = edge(model, (0.5, 0.25), (0.5, 0.5))
    assert edge_near(model, 5, np.array([0.49, 0.4, 0.0])) == middle
    loop = edge_loop(model, middle)
    assert loop[0] == middle
    assert sorted(loop) == sorted(edge(model, (0.5, y / 4), (0.5, (y + 1) / 4)) for y in range(4))


def test_a_cut_across_splits_an_island_in_two() -> None:
    model = grid()
    layout = model.uv_layouts[0]
    assert_array_equal(split_islands(model, layout, ()), islands(model, layout))
    loop = edge_loop(model, edge(model, (0.5, 0.25), (0.5, 0.5)))
    labels = split_islands(model, layout, loop)
    left = np.array([f % 4 < 2 for f in range(16)])
    assert set(labels[left]) == {0}
    # The right half is numbered after the one island, by its first face.
    assert set(labels[~left]) == {1 + 2}
    # One edge alone cuts nothing off.
    assert_array_equal(split_islands(model, layout, loop[:1]), islands(model, layout))


def test_a_further_seam_leaves_other_labels() -> None:
    model = grid()
    layout = model.uv_layouts[0]
    first = edge_loop(model, edge(model, (0.5, 0.25), (0.5, 0.5)))
    second = edge_loop(model, edge(model, (0.75, 0.25), (0.75, 0.5)))
    before, after = split_islands(model, layout, first), split_islands(model, layout, [*first, *second])
    column = np.arange(16) % 4
    assert_array_equal(after[column < 3], before[column < 3])
    assert set(after[column == 3]) == {1 + 3}


def test_islands_without_seams_stay_whole() -> None:
    model = split_square()
    layout = model.uv_layouts[0]
    assert_array_equal(split_islands(model, layout, [(0, 1)]), islands(model, layout))
    ball = globe(16, 8)
    assert_array_equal(split_islands(ball, ball.uv_layouts[0], [(5000, 6000), (-1, 2)]), islands(ball, ball.uv_layouts[0]))


def test_picks_follow_seams() -> None:
    model = grid()
    loop = tuple(edge_loop(model, edge(model, (0.5, 0.25), (0.5, 0.5))))
    index = FaceIndex(model, loop)
    assert index.version != FaceIndex(model).version == 0
    label = index.of_face(3)["island"]
    assert_array_equal(np.flatnonzero(index.mark([FacePick(by="island", index=label)])) % 4 >= 2, np.ones(8, bool))
