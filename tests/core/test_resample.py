"""Values from vertices to texels and back, against formulas and SciPy; nothing through a thin wall."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from numpy.testing import assert_array_equal
from scipy.spatial import cKDTree

from ruvelt.core.mesh.subdivide import Subdivision
from ruvelt.core.samples.resample import Resampling
from ruvelt.core.samples.vertices import VertexSamples
from tests.core.test_bake import sheet_of
from tests.meshes import globe, model_of


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
    found = Resampling(fine, texels).values(field(fine.positions))
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
    over = Resampling(vertices, texels).values(codes)
    on = texels.covered
    assert_array_equal(over[0, on], np.where(texels.positions[on, 2] > 0, 65535, 0))
    again = Resampling(texels, vertices).values(over)
    assert_array_equal(again[0, vertices.covered], ahead[vertices.covered])


def test_paint_that_is_not_there_does_not_darken_what_is() -> None:
    texels = sheet_of(globe(32, 16))
    vertices = VertexSamples(texels.model)
    codes = np.zeros((2, vertices.slot_count), np.uint16)
    up = vertices.positions[:, 1] > 0.3
    codes[:, up] = [[50000], [65535]]
    found = Resampling(vertices, texels).values(codes)
    assert set(np.unique(found[0, found[1] > 0]).tolist()) == {50000}
