"""Shares of texels that outlines cover: closed forms, and winding numbers at many points of each texel in plain NumPy."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose

from ruvelt.core.brush.area import outline_weights, raster_shares
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.shapes import Shape, lay_shape, shaped_brush
from ruvelt.core.brush.target import Paint
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.stack.camera import Camera
from tests.core.scene import Scene, paint_layer, target
from tests.meshes import square

FINE = 16
STAR = np.array([[24 + 20 * np.sin(4 * np.pi * k / 5), 24 - 20 * np.cos(4 * np.pi * k / 5)] for k in range(5)])


def winding(outline: np.ndarray, places: np.ndarray) -> np.ndarray:
    """Times an outline goes around places, by the sum of the angles under which its edges are seen."""
    to = outline[None] - places[:, None]
    on = np.roll(to, -1, axis=1)
    angle = np.arctan2(to[..., 0] * on[..., 1] - to[..., 1] * on[..., 0], (to * on).sum(axis=-1))
    return np.rint(angle.sum(axis=1) / (2 * np.pi)).astype(int)


def counted(outline: np.ndarray, width: int, height: int, odd: bool = False) -> np.ndarray:
    y, x = (np.mgrid[: height * FINE, : width * FINE] + 0.5) / FINE
    places = np.stack([x.ravel(), y.ravel()], axis=1)
    around = np.concatenate([winding(outline, places[i : i + 20_000]) for i in range(0, len(places), 20_000)]).reshape(x.shape)
    inside = around % 2 == 1 if odd else around != 0
    return np.asarray(inside.reshape(height, FINE, width, FINE).mean(axis=(1, 3)))


def test_a_rectangle_between_texels() -> None:
    box = np.array([[1.25, 2.5], [6.75, 2.5], [6.75, 5.1], [1.25, 5.1]])
    for outline in (box, box[::-1]):
        shares = raster_shares(outline, 8, 8)
        across, down = np.array([0, 0.75, 1, 1, 1, 1, 0.75, 0]), np.array([0, 0, 0.5, 1, 1, 0.1, 0, 0])
        assert_allclose(shares, np.outer(down, across), atol=1e-6)


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.floats(-6, 22), st.floats(-6, 22)), min_size=3, max_size=3))
def test_any_triangle_also_beyond_the_raster(points: list[tuple[float, float]]) -> None:
    outline = np.array(points)
    apart = np.abs(raster_shares(outline, 16, 16) - counted(outline, 16, 16))
    # Slivers fall between the points that are counted.
    assert apart.max() < 0.2
    assert apart.mean() < 0.01


@pytest.mark.parametrize("rule", ["nonzero", "evenodd"])
def test_a_star_that_crosses_itself_is_whole_or_hollow(rule: str) -> None:
    shares = raster_shares(STAR, 48, 48, rule)  # type: ignore[arg-type]
    apart = np.abs(shares - counted(STAR, 48, 48, rule == "evenodd"))
    # In the ten texels of crossings two windings meet.
    assert (apart > 2.5 / FINE).sum() <= 10
    assert shares[24, 24] == pytest.approx(1 if rule == "nonzero" else 0, abs=1e-6)


def test_a_circle_has_its_area_and_its_mirror_the_same() -> None:
    a = np.linspace(0, 2 * np.pi, 2000, endpoint=False)
    circle = np.stack([32 + 20.3 * np.cos(a), 31 + 20.3 * np.sin(a)], axis=1)
    shares = raster_shares(circle, 64, 62)
    assert shares.sum() == pytest.approx(np.pi * 20.3**2, rel=1e-4)
    assert_allclose(shares, shares[::-1], atol=1e-4)


def test_squares_of_any_size_around_any_place() -> None:
    half_plane = np.array([[-500.0, 10.3], [500.0, 10.3], [500.0, 700.0], [-500.0, 700.0]])
    y = np.linspace(5, 16, 200)
    for size in (0.5, 1.0, 3.7):
        weights = outline_weights(half_plane, np.stack([np.full(200, 3.3), y], axis=1), size)
        # Told from squares of half a unit, or a quarter.
        assert_allclose(weights, np.clip((y + size / 2 - 10.3) / size, 0, 1), atol=0.13)


def test_far_and_empty_outlines_are_answered() -> None:
    places = np.array([[5.0, 5.0], [-1e7, 3.0]])
    huge = np.array([[-1e9, -1e9], [1e9, -1e9], [1e9, 1e9], [-1e9, 1e9]])
    assert_allclose(outline_weights(huge, places), 1, atol=1e-3)
    assert outline_weights(huge + 5e9, places).max() == 0
    assert len(outline_weights(huge, places[:0])) == 0


@pytest.mark.parametrize("view", [False, True], ids=["sheet", "view"])
def test_a_filled_shape_ends_where_its_outline_does(view: bool) -> None:
    """On a plate seen from the front, whatever the brush: exact on the sheet, and within a hundredth of a texel in the mean in the view."""
    scene = Scene(square(2.0), (paint_layer(),))
    a = np.linspace(0, 2 * np.pi, 180, endpoint=False)
    circle = np.stack([0.1 + 0.613 * np.cos(a), -0.05 + 0.613 * np.sin(a)], axis=1)
    brush = Brush(size=40, hardness=0.2)
    camera = Camera(eye=(0, 0, 8), target=(0, 0, 0), fov_deg=20, width=900, height=900)
    if view:
        shape = Shape(kind="line", surface=tuple((float(x), float(y), 0.0) for x, y in circle), camera=camera, closed=True, filled=True)
    else:
        shape = Shape(kind="line", sheet=tuple((128 + 128 * float(x), 128 - 128 * float(y)) for x, y in circle), closed=True, filled=True)
    laid = lay_shape(shaped_brush(brush, shape), shape, scene.samples, RayCaster(scene.model))
    live = scene.live(target("roughness"), Paint(values={"roughness": (1.0,)}), brush=brush)
    live.lay_again(laid.dabs, None, laid.slots, laid.weights)
    coverage = scene.samples.to_image(live.coverage.values[:, None])[..., 0]
    y, x = (np.mgrid[: 256 * FINE, : 256 * FINE] + 0.5) / FINE
    inside = (x - 128 - 12.8) ** 2 + (y - 128 - 6.4) ** 2 < (0.613 * 128) ** 2
    wanted = inside.reshape(256, FINE, 256, FINE).mean(axis=(1, 3))
    assert (coverage.sum() - wanted.sum()) / (2 * np.pi * 0.613 * 128) == pytest.approx(0, abs=0.01)
    assert np.sqrt(np.square(coverage - wanted)[(wanted > 0) & (wanted < 1)].mean()) < (0.13 if view else 0.03)
