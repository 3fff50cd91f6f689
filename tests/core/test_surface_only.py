"""Blur and growth go over the surface only: nothing passes air or a wall however thin, everything passes seams; and blur is the heat equation."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest
from numpy.testing import assert_allclose
from scipy.special import erf

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.lattice import surface_blur
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.samples.spread import surface_grow
from ruvelt.core.samples.vertices import VertexSamples
from tests.meshes import globe, model_of, split_square, square, tube, two_walls

#: Of the model's 2 units: thinner than a texel at first, wider than the blur at last.
GAPS = np.geomspace(0.0005, 0.4, 20)


def stacked(gap: float) -> Model:
    """Two parallel squares that face the same way, `gap` above each other."""
    model = two_walls(gap)
    lower = model.positions.copy()
    lower[4:] = lower[:4] - [0, 0, gap]
    uv = model.uv_layouts[0].uvs[:4]
    return model_of(lower, [[0, 1, 2, 3], [4, 5, 6, 7]], np.concatenate([uv, uv + np.array([0.5, 0])]))


def folded(gap: float, steps: int = 24) -> Model:
    """A strip that runs along x, turns around an edge of diameter `gap` and runs back beneath itself, as one connected surface."""
    angle = np.linspace(0, np.pi, steps + 1)
    across = [(0.0, gap / 2), *(np.stack([1 + gap / 2 * np.sin(angle), gap / 2 * np.cos(angle)], 1)), (0.0, -gap / 2)]
    profile = np.array(across)
    direction = np.concatenate([[0], np.cumsum(np.linalg.norm(np.diff(profile, axis=0), axis=1))])
    points = np.concatenate([np.column_stack([profile[:, 0], np.full(len(profile), y), profile[:, 1]]) for y in (-1.0, 1.0)])
    uv = np.concatenate([np.column_stack([direction / direction[-1] * 0.9 + 0.05, np.full(len(direction), v)]) for v in (0.05, 0.95)])
    n = len(profile)
    return model_of(points, [[i, i + n, i + n + 1, i + 1] for i in range(n - 1)], uv)


def texels(model: Model, side: int = 256) -> SheetSamples:
    return SheetSamples(model, plan_sheets(model)[0], side)


@pytest.mark.parametrize("sigma", [0.004, 0.02, 0.08])
@pytest.mark.parametrize("make", [stacked, two_walls])
def test_nothing_passes_air_or_a_wall(make: object, sigma: float) -> None:
    for gap in GAPS:
        samples = texels(make(gap), 256)  # type: ignore[operator]
        upper = samples.covered & (samples.face == 0)
        bright = np.where(upper, 65535, 0).astype(np.uint16)
        blurred = surface_blur(samples, bright[None], sigma)[0]
        assert blurred[upper].min() == 65535
        assert blurred[samples.covered & ~upper].max() == 0
        grown = surface_grow(samples, bright, 2 * sigma)
        assert grown[samples.covered & ~upper].max() == 0


@pytest.mark.parametrize("gap", [0.03, 0.1])
def test_around_a_fold_the_way_is_along_the_surface(gap: float) -> None:
    """Far from the fold nothing gets from one layer to the other, though they lie nearer to each other than a texel's reach."""
    samples = texels(folded(gap), 512)
    p = samples.positions
    upper = samples.covered & (p[:, 2] > 0) & (p[:, 0] < 1)
    bright = np.where(upper & (p[:, 0] < 0.6), 65535, 0).astype(np.uint16)
    lower = samples.covered & (p[:, 2] < 0) & (p[:, 0] < 1)
    # From 0.6 to the fold it is 0.4, and as far again on the other side.
    assert surface_blur(samples, bright[None], 0.08)[0][lower & (p[:, 0] < 0.9)].max() < 10
    assert surface_grow(samples, bright, 0.3)[lower].max() == 0
    around = surface_grow(samples, bright, 0.4 + np.pi * gap / 2 + 0.1)
    edge = p[lower & (around > 32767), 0].min()
    assert edge == pytest.approx(0.9, abs=0.03)


@pytest.mark.parametrize("sigma", [0.1, 0.2, 0.4])
def test_blur_is_the_heat_equation_on_a_cylinder_and_a_sphere(sigma: float) -> None:
    """Cosines around a cylinder fade by exp(−σ²/2r²), heights on a sphere by exp(−σ²/r²), for these are what the heat equation only scales."""
    for model, fade in ((tube(1.0, 8.0, 96), sigma**2 / 2), (globe(96, 48), sigma**2)):
        samples = texels(model, 512)
        p, covered = samples.positions, samples.covered
        wave = p[:, 0] if fade == sigma**2 / 2 else p[:, 1]
        values_u16 = np.rint((0.5 + 0.4 * wave) * 65535).clip(0, 65535).astype(np.uint16)
        got = surface_blur(samples, values_u16[None], sigma)[0] / 65535
        inside = covered & (np.abs(p[:, 1]) < 2)
        left = np.polyfit(wave[inside], got[inside], 1)[0] / 0.4
        assert left == pytest.approx(np.exp(-fade), abs=0.02)


@pytest.mark.parametrize("spacings", [0.25, 0.4, 0.6, 0.8, 1.0, 1.3, 1.49, 1.55, 2.0, 2.8])
def test_small_radii_are_what_they_say(spacings: float) -> None:
    """The deviation of what single bright texels become, on a plate that lies along the axes and on a turned one."""
    for turn in (0.0, 0.4):
        model = square()
        direction = np.array([[np.cos(turn), -np.sin(turn), 0], [np.sin(turn), np.cos(turn), 0], [0, 0, 1]])
        samples = texels(replace(model, positions=(model.positions @ direction.T).astype(np.float32)))
        p = samples.positions.astype(np.float64)
        variance = []
        for at in ((60, 70), (128, 131), (180, 90), (101, 200)):
            values_u16 = np.zeros((1, samples.slot_count), np.uint16)
            lit = at[1] * 256 + at[0]
            values_u16[0, lit] = 65535
            got = surface_blur(samples, values_u16, spacings * samples.spacing)[0].astype(np.float64)
            variance.append((got[:, None] * (p - p[lit]) ** 2).sum(axis=0)[:2].mean() / got.sum())
        # From one and a half texels on it is a lattice's, which lies as it happens to.
        assert np.sqrt(np.mean(variance)) / samples.spacing == pytest.approx(spacings, rel=0.02 if spacings < 1.5 else 0.05)


def test_single_neighbours_keep_constants_and_sums_and_seams() -> None:
    samples = texels(globe(96, 48), 512)
    covered = np.flatnonzero(samples.covered).astype(np.int32)
    areas = samples.sample_areas(covered).astype(np.float64)
    spots = (65535 * (np.random.default_rng(1).random((2, samples.slot_count)) < 0.05)).astype(np.uint16)
    got = surface_blur(samples, spots, 1.2 * samples.spacing)
    assert_allclose((got[:, covered] * areas).sum(axis=1), (spots[:, covered] * areas).sum(axis=1), rtol=4e-3)
    assert np.unique(surface_blur(samples, np.full_like(spots, 23456), samples.spacing)[:, covered]).tolist() == [23456]
    # A step that a seam of the UVs cuts is the error function on both of its sides.
    plate = texels(split_square(), 512)
    p = plate.positions
    sigma = 1.3 * plate.spacing
    near = plate.covered & (np.abs(p[:, 1]) < 5 * sigma) & (np.abs(p[:, 0]) < 4 * sigma)
    blurred = surface_blur(plate, np.where(p[:, 1] > 0, 65535, 0).astype(np.uint16)[None], sigma)[0] / 65535
    for side in (near & (p[:, 0] < 0), near & (p[:, 0] > 0)):
        y = p[side, 1]
        # Between the rows of texels that are lit and those that are not.
        edge = (y[y > 0].min() + y[y <= 0].max()) / 2
        assert np.sqrt(np.mean((blurred[side] - 0.5 * (1 + erf((y - edge) / (sigma * np.sqrt(2))))) ** 2)) < 0.02


def test_vertices_blur_over_edges_and_through_no_air() -> None:
    """A grid of vertices against another above it: what is between them is less than a vertex apart."""
    n = 41
    x, y = np.meshgrid(np.linspace(-1, 1, n), np.linspace(-1, 1, n))
    flat = np.stack([x, y, np.zeros_like(x)], -1).reshape(-1, 3)
    quads = [[r * n + c, r * n + c + 1, (r + 1) * n + c + 1, (r + 1) * n + c] for r in range(n - 1) for c in range(n - 1)]
    faces = quads + [[i + n * n for i in q] for q in quads]
    model = model_of(np.concatenate([flat, flat + np.array([0, 0, 0.02])]), faces, np.zeros((2 * n * n, 2)))
    samples = VertexSamples(model)
    p = samples.positions
    upper = samples.covered & (p[:, 2] > 0.01)
    half = np.where(upper & (p[:, 0] > 0), 65535, 0).astype(np.uint16)
    blurred = surface_blur(samples, half[None], 0.2)[0]
    assert blurred[samples.covered & ~upper].max() == 0
    middle = upper & (np.abs(p[:, 0]) < 0.03) & (np.abs(p[:, 1]) < 0.5)
    assert_allclose(blurred[middle] / 65535, 0.5 + 0.5 * p[middle, 0], atol=0.08)


def test_endless_slivers_come_to_an_end() -> None:
    """Twenty thousand faces that share edges as long as the model, thousands of cells each, and next to no surface."""
    n = 20_000
    x = np.arange(n + 1) * 4e-7
    points = np.concatenate([np.stack([x, np.full(n + 1, y), np.zeros(n + 1)], 1) for y in (0.0, 1.0)])
    u = np.linspace(0.01, 0.99, n + 1)
    uv = np.concatenate([np.stack([u, np.full(n + 1, v)], 1) for v in (0.01, 0.99)])
    samples = texels(model_of(points, [[i, i + 1, i + n + 2, i + n + 1] for i in range(n)], uv), 256)
    half = np.where(samples.positions[:, 1] > 0.5, 65535, 0).astype(np.uint16)
    blurred = surface_blur(samples, half[None], 0.02)[0]
    assert blurred[samples.covered & (samples.positions[:, 1] > 0.9)].min() > 65000
    assert surface_grow(samples, half, 0.01)[samples.covered & (samples.positions[:, 1] < 0.4)].max() == 0


def test_vertices_that_the_file_split_hang_together() -> None:
    samples = texels(split_square(), 512)
    p, covered = samples.positions, samples.covered
    half = np.where(p[:, 0] > 0, 65535, 0).astype(np.uint16)
    got = surface_blur(samples, half[None], 0.1)[0] / 65535
    near = covered & (np.abs(p[:, 0]) < 0.01) & (np.abs(p[:, 1]) < 0.5)
    assert_allclose(got[near], 0.5, atol=0.06)
