"""Values from vertices to texels and back, against formulas and SciPy; nothing through a thin wall."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from numpy.testing import assert_array_equal
from scipy.spatial import cKDTree

from ruvelt.core.mesh.model import Model, TextureCoords
from ruvelt.core.mesh.subdivide import Subdivision
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.samples.spots import on_level, on_own
from ruvelt.core.samples.vertices import VertexSamples
from tests.core.test_bake import sheet_of
from tests.core.test_vertex_paint import bare
from tests.meshes import globe, model_of, split_square


def field(places: np.ndarray) -> np.ndarray:
    """A smooth value at places of the unit ball, as codes with full coverage."""
    value = 0.5 + 0.2 * np.sin(2 * places[:, 0]) + 0.2 * places[:, 1]
    return np.stack([np.rint(value * 65535), np.full(len(places), 65535.0)]).astype(np.uint16)


def test_vertices_to_texels_is_the_field_between_them() -> None:
    """Linear between vertices: the error is that of straight lines between values a step apart."""
    texels = sheet_of(globe(64, 32))
    vertices = VertexSamples(texels.model)
    found = Resampling(vertices, texels).values(field(vertices.positions))
    on = texels.covered
    error = np.abs(found[0, on].astype(float) - field(texels.positions)[0, on]) / 65535
    assert error.max() < 0.004
    assert (found[1, on] == 65535).all()
    assert (found[:, ~on] == 0).all()


def test_texels_to_vertices_is_their_mean() -> None:
    texels = sheet_of(globe(64, 32))
    vertices = VertexSamples(texels.model)
    found = Resampling(texels, vertices).values(field(texels.positions))
    on = vertices.covered
    error = np.abs(found[0, on].astype(float) - field(vertices.positions)[0, on]) / 65535
    assert error.max() < 0.02
    assert error.mean() < 0.003
    # An independent mean: each texel to the nearest vertex, weighed by its area.
    slots = np.flatnonzero(texels.covered)
    _, near = cKDTree(vertices.positions[on]).query(texels.positions[slots])
    area = texels.sample_areas(slots.astype(np.int32)).astype(float)
    rows = field(texels.positions)[0, slots].astype(float)
    mean = np.bincount(near, area * rows) / np.maximum(np.bincount(near, area), 1e-30)
    taken = np.bincount(near) > 3
    assert np.median(np.abs(mean[taken] - found[0, np.flatnonzero(on)[: len(mean)][taken]])) < 65535 * 0.002


def test_a_level_of_the_mesh_gives_to_the_sheet_of_its_model() -> None:
    texels = sheet_of(globe(32, 16))
    levels = Subdivision(dataclasses.replace(texels.model, uv_layouts=()))
    fine = VertexSamples(levels.model(2))
    found = Resampling(fine, texels, levels).values(field(fine.positions))
    error = np.abs(found[0, texels.covered].astype(float) - field(texels.positions)[0, texels.covered]) / 65535
    # The level is a smoothed ball: places move by up to a hundredth.
    assert error.max() < 0.02


@pytest.mark.parametrize("level", [0, 1, 3])
def test_nothing_comes_through_a_sheet_of_paper(level: int) -> None:
    """Two plates a hair apart, back to back: red in front, blue behind, on vertices of any level and on texels, there and back."""
    front = [[-1, -1, 0.001], [1, -1, 0.001], [1, 1, 0.001], [-1, 1, 0.001]]
    back = [[-1, -1, -0.001], [-1, 1, -0.001], [1, 1, -0.001], [1, -1, -0.001]]
    uvs = [[0.02, 0.02], [0.48, 0.02], [0.48, 0.98], [0.02, 0.98], [0.52, 0.02], [0.52, 0.98], [0.98, 0.98], [0.98, 0.02]]
    paper = model_of(np.array(front + back), [[0, 1, 2, 3], [4, 5, 6, 7]], np.array(uvs))
    levels = Subdivision(paper, smooth=False)
    texels, vertices = sheet_of(paper), VertexSamples(levels.model(level))
    ahead = np.where(vertices.positions[:, 2] > 0, 65535, 0).astype(np.uint16)
    codes = np.stack([ahead, np.full(vertices.slot_count, 65535, np.uint16)])
    over = Resampling(vertices, texels, levels).values(codes)
    on = texels.covered
    assert_array_equal(over[0, on], np.where(texels.positions[on, 2] > 0, 65535, 0))
    again = Resampling(texels, vertices, levels).values(over)
    assert_array_equal(again[0, vertices.covered], ahead[vertices.covered])


def test_paint_that_is_not_there_does_not_darken_what_is() -> None:
    texels = sheet_of(globe(32, 16))
    vertices = VertexSamples(texels.model)
    codes = np.zeros((2, vertices.slot_count), np.uint16)
    up = vertices.positions[:, 1] > 0.3
    codes[:, up] = [[50000], [65535]]
    found = Resampling(vertices, texels).values(codes)
    assert set(np.unique(found[0, found[1] > 0]).tolist()) == {50000}


def shapes() -> Model:
    """A plate of a square, two triangles and a pentagon, each an island of its own."""
    places = [
        [0, 0, 0],
        [1, 0, 0],
        [1, 1, 0],
        [0, 1, 0],
        [1.4, 0.1, 0],
        [1.9, 0.5, 0],
        [1.2, 0.9, 0],
        [2.0, 1.1, 0],
        [2.2, 0, 0],
        [3, 0, 0],
        [3.2, 0.7, 0],
    ]
    places += [[2.6, 1.2, 0], [2.1, 0.6, 0]]
    faces = [[0, 1, 2, 3], [4, 5, 6], [5, 7, 6], [8, 9, 10, 11, 12]]
    return model_of(np.array(places), faces, np.array(places)[:, :2] / 3.4 + 0.02)


@pytest.mark.parametrize("level", [1, 2, 4])
def test_places_on_levels_are_found_without_rays_to_the_last_digit(level: int) -> None:
    """On simple levels of a flat mesh every place of the mesh is a place of the level: what is linear comes over as it is."""
    texels = sheet_of(shapes(), 256)
    levels = Subdivision(texels.model, smooth=False)
    fine = VertexSamples(levels.model(level))
    spots, on = on_level(on_own(texels), texels.model, level), np.flatnonzero(texels.covered)
    square = fine.model.corner_vertex.reshape(-1, 4)
    # The pentagon's places are none that a formula tells; of those inside the others, each lies where its own square says.
    told = on[spots.cell[on] >= 0]
    assert set(texels.face[on[spots.cell[on] == -2]].tolist()) == {3}
    s, t = spots.st[told].astype(np.float64).T
    corners = fine.model.positions[square[spots.cell[told]]].astype(np.float64)
    weights = np.stack([(1 - s) * (1 - t), s * (1 - t), s * t, (1 - s) * t], axis=1)
    quad = texels.face[told] == 0
    apart = np.linalg.norm(np.einsum("nc,nck->nk", weights, corners) - texels.positions[told], axis=1)
    assert apart.max() < 2e-6
    assert quad.any()
    ramp = np.stack([fine.positions[:, 0] / 4 + fine.positions[:, 1] / 10, np.ones(fine.slot_count)]) * 65535
    found = Resampling(fine, texels, levels).values(np.rint(ramp).astype(np.uint16))
    error = np.abs(found[0] - (texels.positions[:, 0] / 4 + texels.positions[:, 1] / 10) * 65535)
    assert error[told].max() < 1.6
    # In the pentagon rays find them; at its very rim some have the nearest vertex.
    assert np.quantile(error[on], 0.97) < 2
    assert (found[1, on] == 65535).all()


@pytest.mark.parametrize("level", [0, 1, 3])
def test_means_over_places_of_levels_are_those_of_the_nearest_vertices(level: int) -> None:
    texels = sheet_of(shapes(), 256)
    levels = Subdivision(texels.model, smooth=False)
    fine = VertexSamples(levels.model(level))
    ramp = np.stack([texels.positions[:, 0] / 4, texels.covered]) * 65535
    found = Resampling(texels, fine, levels).values(np.rint(ramp).astype(np.uint16))
    # Of a linear field the mean about a vertex inside is the field there, give or take the texels on the way.
    error = np.abs(found[0, fine.covered] / 65535 - fine.positions[fine.covered, 0] / 4)
    assert error.max() < {0: 0.14, 1: 0.07, 3: 0.02}[level]
    assert (found[1, fine.covered] == 65535).all()


def test_another_layout_of_one_mesh_gives_and_takes_by_triangles() -> None:
    """A sheet of four times the texels gives means, one of as many mixes neighbours; a field comes over as its formula has it."""
    model = globe(48, 24)
    uv = model.uv_layouts[0].uvs
    turned = dataclasses.replace(
        model, uv_layouts=(TextureCoords("UV", np.stack([1 - uv[:, 1], uv[:, 0]], axis=1) * np.float32(0.9), model.uv_layouts[0].corner_uv),)
    )
    for side, other, limit in ((256, 256, 0.004), (512, 256, 0.004), (256, 512, 0.004)):
        old, new = sheet_of(model, side), sheet_of(turned, other)
        way = Resampling(old, new)
        found = way.values(field(old.positions))
        error = np.abs(found[0, new.covered] / 65535 - field(new.positions)[0, new.covered] / 65535)
        assert error.max() < limit
        assert (found[1, new.covered] == 65535).all()
        assert not len(way.lost)
        assert (found[:, ~new.covered] == 0).all()


def test_islands_do_not_bleed_into_each_other() -> None:
    """Two islands that touch on the sheet, red and blue, laid out far apart: no texel has both."""
    model = split_square()
    layout = model.uv_layouts[0]
    left, right = [[0.1, 0.1], [0.5, 0.1], [0.5, 0.9], [0.1, 0.9]], [[0.9, 0.1], [0.5, 0.1], [0.5, 0.9], [0.9, 0.9]]
    old = sheet_of(dataclasses.replace(model, uv_layouts=(TextureCoords("UV", np.array(left + right, np.float32), layout.corner_uv),)), 256)
    new = sheet_of(model, 256)
    red = old.face == 0
    values = np.stack([np.where(red, 65535, 0), np.where(red, 0, 65535), np.where(old.covered, 65535, 0)]).astype(np.uint16)
    found = Resampling(old, new).values(values)[:, new.covered]
    ours = new.face[new.covered] == 0
    assert_array_equal(found[0], np.where(ours, 65535, 0))
    assert_array_equal(found[1], np.where(ours, 0, 65535))


def test_another_mesh_is_met_along_the_normals_and_what_is_far_off_is_lost() -> None:
    """A ball of another mesh and a little larger takes the field over; a second ball far away finds nothing."""
    old, ball = sheet_of(globe(64, 32), 512), globe(50, 26, radius=1.01)
    far = dataclasses.replace(ball, positions=np.where(ball.positions[:, :1] > 0.2, ball.positions, ball.positions * 3))
    new = sheet_of(far, 256)
    way = Resampling(old, new, reach=0.1)
    found = way.values(field(old.positions))
    near = new.covered & (new.positions[:, 0] > 0.35) & (np.linalg.norm(new.positions, axis=1) < 1.05)
    gone = new.covered & (np.linalg.norm(new.positions, axis=1) > 1.3)
    assert_array_equal(np.isin(np.flatnonzero(gone), way.lost), True)
    assert not np.isin(np.flatnonzero(near), way.lost).any()
    assert (found[:, gone] == 0).all()
    unit = new.positions[near] / np.linalg.norm(new.positions[near], axis=1, keepdims=True)
    assert np.abs(found[0, near] / 65535 - field(unit)[0] / 65535).max() < 0.01


def test_vertices_in_the_same_order_keep_their_values_wherever_they_went() -> None:
    model = bare(globe(24, 12))
    old = VertexSamples(model)
    new = VertexSamples(dataclasses.replace(model, positions=np.ascontiguousarray(model.positions[:, [2, 0, 1]] * np.float32(3))))
    values = np.random.default_rng(2).integers(0, 65536, (2, old.slot_count)).astype(np.uint16)
    found = Resampling(old, new).values(values)
    assert_array_equal(found[:, new.slot_of_vertex], values[:, old.slot_of_vertex])
