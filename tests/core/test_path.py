"""Pointer positions to dabs: spacing, steadying, pressure, jitter, cameras and rays."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal
from pydantic import ValidationError

from ruvelt.core.brush.dab import SWEEP, WIDTH
from ruvelt.core.brush.path import MAX_DABS, Point, SheetPath, SurfacePath, ViewPath, lock_angle, mirrored
from ruvelt.core.brush.settings import Brush, Mirror, PressureCurve
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.camera import Camera
from tests.core.scene import whole
from tests.meshes import globe, square, two_walls

PLANE = square(size=2.0)
SAMPLES = SheetSamples(PLANE, plan_sheets(PLANE)[0], 256)
CASTER = RayCaster(PLANE)
#: Looks straight down on the plane; one pixel is 0.01 units at its depth.
CAMERA = Camera(eye=(0, 0, 5), target=(0, 0, 0), fov_deg=float(np.degrees(2 * np.arctan(1 / 5))), width=200, height=200)


def line(*points: tuple[float, float], pressure: float = 1.0) -> list[Point]:
    return [Point(p, pressure) for p in points]


def test_camera_rays_meet_projected_points() -> None:
    camera = Camera(eye=(3, 2, 4), target=(0.2, -0.1, 0), fov_deg=40, width=640, height=480)
    points = np.random.default_rng(5).uniform(-1, 1, (40, 3))
    pixels = camera.project(points)
    origins, directions = camera.rays(pixels)
    gap = points - origins
    across = gap - directions * np.einsum("ij,ij->i", gap, directions)[:, None]
    assert_allclose(np.linalg.norm(across, axis=1), 0, atol=1e-9)
    assert_allclose(np.linalg.norm(directions, axis=1), 1)
    beside = points + camera.axes[0] * camera.pixel_size(points)[:, None]
    assert_allclose(np.linalg.norm(camera.project(beside) - pixels, axis=1), 1, rtol=1e-6)


@pytest.mark.parametrize("bad", [{"target": (0, 0, 5)}, {"up": (0, 0, 1)}, {"fov_deg": 0.0}, {"eye": (float("nan"), 0, 0)}, {"width": 0}])
def test_cameras_that_see_nothing(bad: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Camera.model_validate({"eye": (0, 0, 5), "target": (0, 0, 0), "width": 100, "height": 100, **bad})


def test_rays_against_a_sphere() -> None:
    ball = globe(96, 48)
    caster = RayCaster(ball)
    directions = np.random.default_rng(1).normal(size=(200, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    hits = caster.cast(-5 * directions, directions)
    assert (hits.triangle >= 0).all()
    assert_allclose(hits.distance, 4, atol=0.01)
    assert_allclose(hits.position, -directions, atol=0.01)
    assert_allclose(hits.bary.sum(axis=1), 1, atol=1e-5)
    assert_array_equal(caster.cast(5 * directions, directions).triangle, -1)


def test_rays_ignore_hidden_faces() -> None:
    walls = two_walls()
    seen = RayCaster(walls, np.array([False, True]))
    hits = seen.cast(np.array([[0.1, 0.2, 3.0]]), np.array([[0.0, 0.0, -1.0]]))
    assert walls.triangle_face[hits.triangle[0]] == 1
    nothing = RayCaster(walls, np.array([False, False]))
    assert nothing.cast(np.array([[0, 0, 3.0]]), np.array([[0, 0, -1.0]])).triangle[0] == -1
    bad = seen.cast(np.array([[np.nan, 0, 3.0]]), np.array([[0, 0, -1.0]]))
    assert bad.triangle[0] == -1


def test_dabs_are_evenly_spaced_at_any_speed() -> None:
    """The same line given as 2 or as 41 pointer samples gives the same dabs."""
    brush = Brush(size=20, spacing=0.25)
    few = whole(ViewPath(brush, CAMERA, CASTER, SAMPLES), line((20, 100), (180, 100)))
    slow = ViewPath(brush, CAMERA, CASTER, SAMPLES)
    many = np.concatenate([*(slow.extend(line((20 + 4 * i, 100))) for i in range(41)), slow.finish()])
    assert_allclose(many, few, atol=1e-5)
    # A stroke ends with a dab where it was swept to, as it begins with one.
    assert_allclose(np.diff(few[:-1, 0]), 0.05, atol=1e-6)
    assert_allclose(few[-1, :3], few[-2, :3])
    assert_allclose(few[1:-1, SWEEP : SWEEP + 3], [[0.05, 0, 0]] * (len(few) - 2), atol=1e-6)
    assert_array_equal(few[[0, -1], SWEEP : SWEEP + 3], 0)
    assert_allclose(few[:, 3], 0.1, atol=1e-6)
    assert_allclose(few[:, 4:7], [[0, 0, 1]] * len(few), atol=1e-6)
    assert few[0, 0] == pytest.approx(-0.8, abs=1e-6)


def test_a_click_lays_one_dab_and_no_second_at_the_joint() -> None:
    path = ViewPath(Brush(size=20, spacing=0.5), CAMERA, CASTER, SAMPLES)
    assert len(path.extend(line((50, 50)))) == 1
    assert len(path.extend(line((50, 50)))) == 0
    assert len(path.extend(line((59.9, 50)))) == 0
    # One sample behind, until the hand lifts.
    assert len(path.extend(line((60, 50)))) == 0
    assert len(path.finish()) == 1


def test_off_the_model_nothing_is_laid() -> None:
    camera = CAMERA.model_copy(update={"width": 400.0, "height": 400.0, "fov_deg": 60})
    path = ViewPath(Brush(), camera, CASTER, SAMPLES)
    assert len(path.extend(line((1, 1), (5, 5)))) == 0
    assert path.last_hit is None


def test_size_of_the_object_does_not_depend_on_the_view() -> None:
    brush = Brush(size=0.1, size_unit="object")
    near = CAMERA.model_copy(update={"eye": (0.0, 0.0, 2.0)})
    for camera in (CAMERA, near):
        dabs = whole(ViewPath(brush, camera, CASTER, SAMPLES), line((100, 100), (110, 100)))
        assert_allclose(dabs[:, 3], 0.05 * PLANE.width, rtol=1e-6)


def test_pressure_runs_evenly_along_the_line() -> None:
    curve = PressureCurve(on=True, low=0.2, gamma=2.0)
    brush = Brush(size=20, spacing=0.1, pressure_size=curve, pressure_flow=curve, pressure_strength=curve, flow=0.5, strength=0.8)
    path = ViewPath(brush, CAMERA, CASTER, SAMPLES)
    dabs = whole(path, [Point((20.0, 100.0), 0.0), Point((180.0, 100.0), 1.0)])
    pressure = (dabs[:, 0] + 0.8) / 1.6
    factor = 0.2 + 0.8 * pressure**2
    assert_allclose(dabs[:, 3], 0.1 * factor, rtol=1e-4)
    assert_allclose(dabs[:, 15], 0.5 * factor, rtol=1e-4)
    assert_allclose(dabs[:, 16], 0.8 * factor, rtol=1e-4)
    assert PressureCurve().at(0.3) == 1.0


def test_the_steadied_tip_trails_on_its_leash() -> None:
    path = SheetPath(Brush(size=4, spacing=0.25, steadying=0.5), 1.0, 0.01, 2.0)
    dabs = whole(path, line((0, 0), (30, 0), (130, 0)))
    # Half steadying is a leash of 40 pixels: the first 40 move nothing.
    assert dabs[-1, 0] == pytest.approx(90, abs=1.01)
    wobble = SheetPath(Brush(size=4, spacing=0.25, steadying=0.5), 1.0, 0.01, 2.0)
    shaky = whole(wobble, [Point((float(x), 6.0 * (-1) ** x), 1.0) for x in range(200)])
    assert np.abs(shaky[len(shaky) // 2 :, 1]).max() < 1.5


def test_jitter_is_seeded_and_inside_its_bounds() -> None:
    brush = Brush(size=20, spacing=0.1, jitter_place=0.5, jitter_size=0.4, jitter_angle=1.0, jitter_strength=0.6, seed=9)

    def lay(b: Brush) -> np.ndarray:
        return ViewPath(b, CAMERA, CASTER, SAMPLES).extend(line((20, 100), (180, 100)))

    one, two, other = lay(brush), lay(brush), lay(brush.model_copy(update={"seed": 10}))
    assert_array_equal(one, two)
    assert not np.allclose(one[:, :2], other[:, :2])
    assert np.abs(one[:, 1]).max() <= 0.1 + 1e-6
    assert np.abs(one[:, 1]).max() > 0.03
    assert one[:, 3].min() >= 0.06 - 1e-6
    assert one[:, 3].max() <= 0.1 + 1e-6
    assert one[:, 16].min() >= 0.4 - 1e-6
    # Turning another jitter on does not move the dabs.
    assert_allclose(lay(brush.model_copy(update={"jitter_size": 0.0}))[:, :2], one[:, :2])


@pytest.mark.parametrize("angle", [0.0, 30.0, 90.0, -45.0])
def test_the_long_axis_follows_the_angle(angle: float) -> None:
    dab = ViewPath(Brush(angle=angle, roundness=0.3), CAMERA, CASTER, SAMPLES).extend(line((100, 100)))[0]
    assert_allclose(dab[7:10], [np.cos(np.radians(angle)), np.sin(np.radians(angle)), 0], atol=1e-6)
    assert_allclose(dab[10:13], [-np.sin(np.radians(angle)), np.cos(np.radians(angle)), 0], atol=1e-6)
    assert dab[13] == pytest.approx(0.3)


def test_mirror_is_exact_and_every_combination_comes() -> None:
    dabs = ViewPath(Brush(), CAMERA, CASTER, SAMPLES).extend(line((130, 60)))
    twins = mirrored(dabs, Brush(mirror=Mirror(x=True, y=True)))
    assert len(twins) == 4
    signs = {(float(np.sign(t[0])), float(np.sign(t[1]))) for t in twins}
    assert signs == {(1.0, 1.0), (-1.0, 1.0), (1.0, -1.0), (-1.0, -1.0)}
    for t in twins:
        assert_array_equal(np.abs(t[:3]), np.abs(dabs[0, :3]))
    assert_array_equal(mirrored(dabs, Brush()), dabs)


def test_surface_points_off_the_surface_move_onto_it() -> None:
    ball = globe(96, 48)
    samples = SheetSamples(ball, plan_sheets(ball)[0], 512)
    dabs = SurfacePath(Brush(size=0.2, size_unit="object", spacing=0.2), samples).extend([Point((1.0, 0.0, 0.0)), Point((0.0, 0.0, 1.0))])
    # The chord between the two points runs through the ball; its dabs come back to the surface or are left out.
    assert_allclose(np.linalg.norm(dabs[:, :3], axis=1), 1, atol=0.01)


@settings(max_examples=60, deadline=None)
@given(
    size=st.floats(0.001, 4000),
    spacing=st.floats(0.02, 4),
    points=st.lists(st.tuples(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6), st.floats(0, 1)), max_size=6),
)
def test_any_brush_and_path_gives_a_bounded_number_of_finite_dabs(size: float, spacing: float, points: list[tuple[float, float, float]]) -> None:
    brush = Brush(size=size, spacing=spacing, pressure_size=PressureCurve(on=True, low=0.0))
    given_points = [Point((x, y), p) for x, y, p in points]
    for path in (ViewPath(brush, CAMERA, CASTER, SAMPLES), SheetPath(brush, 1.0, SAMPLES.spacing, 2.0)):
        dabs = path.extend(given_points)
        assert np.isfinite(dabs).all()
        assert len(dabs) <= MAX_DABS + 1


@pytest.mark.parametrize(
    ("end", "wanted"), [((10, 1), (np.hypot(10, 1), 0)), ((7, 8), (np.hypot(7, 8) * 0.7071068, np.hypot(7, 8) * 0.7071068)), ((0, 0), (0, 0))]
)
def test_lines_lock_to_steps_of_fifteen_degrees(end: tuple[float, float], wanted: tuple[float, float]) -> None:
    assert_allclose(lock_angle((0, 0), end), wanted, atol=1e-5)


@pytest.mark.parametrize("bad", [{"size": 0}, {"size": float("nan")}, {"flow": 0}, {"spacing": 0}, {"strength": 1.1}, {"seed": -1}, {"colour": 1}])
def test_brushes_refuse_nonsense(bad: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        Brush.model_validate(bad)


def test_normals_turn_to_the_eye_and_pixels_grow_with_depth() -> None:
    camera = Camera(eye=(1.0, 2.0, 7.0), target=(0.0, 0.5, 0.0), width=640, height=480)
    origins, directions = camera.rays(np.array([[10.0, 20.0], [320.0, 240.0], [600.0, 400.0]]))
    assert np.allclose(np.linalg.norm(directions, axis=1), 1)
    places = origins + directions * np.array([[2.0], [4.0], [9.0]])
    assert np.allclose(camera.project(places), [[10, 20], [320, 240], [600, 400]])
    normals = np.array([[0.0, 0.0, 1.0], [0.0, 0.0, -1.0], [0.0, 0.0, 0.0]])
    pixel = camera.face_eye(directions, places, normals)
    assert np.allclose(normals[:2], [[0, 0, 1], [0, 0, 1]])
    assert np.allclose(normals[2], -directions[2])
    assert np.allclose(pixel, camera.pixel_size(places))


def test_turns_about_an_axis_are_exact_and_come_after_the_mirror() -> None:
    brush = Brush(mirror=Mirror(x=True, around=6, axis="z"))
    dab = np.zeros((1, WIDTH), np.float32)
    dab[0, :3], dab[0, 4:7], dab[0, 7:10], dab[0, 10:13] = [1, 0.5, 2], [0, 0, 1], [1, 0, 0], [0, 1, 0]
    made = mirrored(dab, brush)
    assert made.shape == (12, WIDTH)
    for i in range(6):
        angle = np.pi / 3 * i
        turn = np.array([[np.cos(angle), -np.sin(angle), 0], [np.sin(angle), np.cos(angle), 0], [0, 0, 1]])
        for sign in (1, -1):
            expected = turn @ np.array([sign, 0.5, 2.0])
            near = np.abs(made[:, :3] - expected).max(axis=1)
            assert near.min() < 1e-6
            long_axis = made[int(near.argmin()), 7:10]
            assert_allclose(long_axis, turn @ [sign, 0, 0], atol=1e-6)
    assert_array_equal(mirrored(dab, Brush()), dab)
    with pytest.raises(ValidationError):
        Mirror(around=0)


@pytest.mark.parametrize(("angle", "extent"), [(0.0, 1.0), (90.0, 0.25), (-45.0, 0.343), (45.0, 0.343)])
def test_dabs_of_a_flat_tip_are_spaced_by_its_extent_along_the_path(angle: float, extent: float) -> None:
    """Of a tip of chance, which is laid dab by dab, drawn along x: 1/√(cos² + 16 sin²) of its long side."""
    brush = Brush(size=100, roundness=0.25, angle=angle, spacing=0.2, jitter_strength=0.5)
    dabs = whole(SheetPath(brush, 1.0, 0.01, 2.0), line((0, 0), (60, 0), (300, 0)))
    assert_allclose(np.diff(dabs[:, 0]), 20 * extent, rtol=2e-3)
