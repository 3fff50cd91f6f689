"""The body, edges and ends of strokes against the continuous integral of the tip along its path, and against exact areas."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from ruvelt.core.brush.path import Path, Point, SheetPath, SurfacePath
from ruvelt.core.brush.settings import START_SPACING, Brush
from ruvelt.core.brush.target import Paint
from tests.core.scene import Scene, paint_layer, target
from tests.meshes import square

SIDE = 256
PAINT = Paint(values={"roughness": (1.0,)})


def laid(brush: Brush, points: list[tuple[float, float]], flat: bool, batches: int = 1) -> np.ndarray:
    """(256, 256) coverage of a stroke through points in texels, y down, on a plate of 2 units."""
    scene = Scene(square(), (paint_layer(),), SIDE)
    live = scene.live(target("roughness"), PAINT, brush=brush)
    path: Path
    if flat:
        path, at = SheetPath(brush, 1.0, scene.samples.spacing, 2.0), [Point(p, 1.0, i + 1.0) for i, p in enumerate(points)]
    else:
        brush = brush.model_copy(update={"size": brush.size / SIDE, "size_unit": "object"})
        live = scene.live(target("roughness"), PAINT, brush=brush)
        path = SurfacePath(brush, scene.samples)
        at = [Point((x / 128 - 1, 1 - y / 128, 0.0), 1.0, i + 1.0) for i, (x, y) in enumerate(points)]
    step = -(-len(at) // batches)
    for first in range(0, len(at), step):
        live.dabs(path.extend(at[first : first + step]))
    live.dabs(path.finish())
    return scene.samples.to_image(live.coverage.values)


def weight(a: np.ndarray, b: np.ndarray, brush: Brush) -> np.ndarray:
    """The tip's weight at places along its long and short axis, radii: a smoothstep of the squared distance."""
    d = a**2 + (b / brush.roundness) ** 2
    p = np.clip((1 - d) / max(1 - brush.hardness**2, 1e-9), 0, 1)
    return p * p * (3 - 2 * p)


def integral(brush: Brush, start: tuple[float, float], end: tuple[float, float], steps: int = 4000) -> np.ndarray:
    """The same of a straight stroke in double precision: flow by length, and a dab at both ends."""
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5
    angle, r = np.radians(brush.angle), brush.size / 2
    direction = np.array(end) - start

    def tip(px: float, py: float) -> np.ndarray:
        # Angles count against the clock, y is down.
        a = ((x - px) * np.cos(angle) - (y - py) * np.sin(angle)) / r
        b = ((x - px) * np.sin(angle) + (y - py) * np.cos(angle)) / r
        return weight(a, b, brush)

    length = (
        np.hypot(
            direction[0] * np.cos(angle) - direction[1] * np.sin(angle),
            (direction[0] * np.sin(angle) + direction[1] * np.cos(angle)) / brush.roundness,
        )
        / r
    )
    total = sum(tip(*(start + direction * (i + 0.5) / steps)) for i in range(steps)) * length / steps
    left = np.exp(total * np.log(1 - brush.flow) / (2 * START_SPACING))
    for at in (start, end):
        left = left * (1 - brush.flow * tip(*at))
    return brush.strength * (1 - left)


@pytest.mark.parametrize("flat", [True, False])
@pytest.mark.parametrize(
    "shape",
    [{"hardness": 0.5}, {"hardness": 0.0}, {"hardness": 0.8}, {"hardness": 0.5, "roundness": 0.3, "angle": 20.0}, {"hardness": 0.6, "flow": 0.1}],
)
def test_a_stroke_is_the_integral_of_its_tip(flat: bool, shape: dict[str, float]) -> None:
    brush = Brush(size=60, strength=0.9, **shape)  # type: ignore[arg-type]
    start, end = (70.3, 90.0), (180.9, 141.7)
    got = laid(brush, [start, (110.3, 90 + 40 * 51.7 / 110.6), end], flat)
    assert np.abs(got - integral(brush, start, end)).max() < 0.012


def ripple(image: np.ndarray, brush: Brush, start: tuple[float, float], end: tuple[float, float]) -> float:
    """Largest change along lines beside the middle of a straight stroke, up to half of its width, in steps of 255."""
    direction = np.array(end) - start
    length = float(np.hypot(*direction))
    direction /= length
    # Angles count against the clock, y is down.
    turn = np.arctan2(-direction[1], direction[0]) - np.radians(brush.angle)
    reach = brush.size / 2 * np.hypot(np.sin(turn), brush.roundness * np.cos(turn))
    t = np.arange(0.3 * length, 0.7 * length, 1.0)
    worst = 0.0
    for off in (0.0, 0.25 * reach, 0.5 * reach):
        p = np.array(start) + t[:, None] * direction + off * np.array([-direction[1], direction[0]]) - 0.5
        line = cv2.remap(image.astype(np.float32), p[:, :1].astype(np.float32), p[:, 1:].astype(np.float32), cv2.INTER_CUBIC)[:, 0]
        worst = max(worst, float(np.ptp(line)))
    return worst * 255


@pytest.mark.parametrize("flat", [True, False])
@pytest.mark.parametrize("roundness", [1.0, 0.25])
@pytest.mark.parametrize("hardness", [0.0, 0.5, 0.9, 1.0])
def test_the_body_of_a_stroke_is_even(flat: bool, roundness: float, hardness: float) -> None:
    start, end = (60.0, 70.0), (200.0, 170.0)
    for angle in (0.0, 37.0, 90.0):
        brush = Brush(size=64, hardness=hardness, roundness=roundness, angle=angle)
        assert ripple(laid(brush, [start, (130, 120), end], flat), brush, start, end) < 3


@pytest.mark.parametrize("flat", [True, False])
def test_no_discs_show_at_the_ends(flat: bool) -> None:
    """Along the middle of a hard stroke coverage goes up once, without steps inside it."""
    image = laid(Brush(size=80, hardness=1.0), [(70, 128.5), (120, 128.5), (190, 128.5)], flat)
    line = image[128] * 255
    for side in (line[28:110], line[::-1][24:100]):
        rises = np.diff(side)
        # One texel's edge, then a slope that only falls off.
        assert (rises > -1).all()
        assert np.sort(rises)[::-1][2] < 12
        assert np.abs(np.diff(rises[4:])).max() < 3


def area(shape: np.ndarray, many: int = 32) -> np.ndarray:
    """(256, 256) share of each texel inside, from `many`² places in each."""
    return shape.reshape(SIDE, many, SIDE, many).mean(axis=(1, 3))


def fine(many: int = 32) -> tuple[np.ndarray, np.ndarray]:
    return np.meshgrid((np.arange(SIDE * many) + 0.5) / many, (np.arange(SIDE * many) + 0.5) / many)


@pytest.mark.parametrize("flat", [True, False])
def test_a_hard_disc_line_and_ellipse_cover_what_lies_inside_them(flat: bool) -> None:
    x, y = fine(16)
    full = {"hardness": 1.0, "flow": 1.0}
    cases = [
        (Brush(size=41, **full), [(100.3, 120.6)], np.hypot(x - 100.3, y - 120.6) < 20.5),
        (
            Brush(size=60, roundness=0.4, angle=30.0, **full),
            [(120.2, 130.9)],
            np.hypot((x - 120.2) * np.cos(np.pi / 6) - (y - 130.9) * 0.5, ((x - 120.2) * 0.5 + (y - 130.9) * np.cos(np.pi / 6)) / 0.4) < 30,
        ),
    ]
    for brush, points, shape in cases:
        got, exact = laid(brush, points, flat), area(shape, 16)  # type: ignore[arg-type]
        edge = (exact > 0) & (exact < 1)
        # The sharp ends of an ellipse are harder; a box of one texel would be 0.12 off.
        assert np.sqrt(np.mean((got - exact)[edge] ** 2)) < (0.06 if brush.roundness == 1 else 0.09)
        assert abs((got - exact)[edge].mean()) < 0.04
    # A slanted line: the strip within a radius of it.
    a, b = np.array([50.0, 60.0]), np.array([210.0, 150.0])
    direction = (b - a) / np.linalg.norm(b - a)
    off, along = np.abs((x - a[0]) * -direction[1] + (y - a[1]) * direction[0]), (x - a[0]) * direction[0] + (y - a[1]) * direction[1]
    got = laid(Brush(size=16.7, **full), [tuple(a), (130, 105), tuple(b)], flat)  # type: ignore[arg-type]
    exact = area(off < 8.35, 16)
    inside = area((along > 20) & (along < 160), 16) == 1
    edge = (exact > 0) & (exact < 1) & inside
    assert np.sqrt(np.mean((got - exact)[edge] ** 2)) < 0.06


@pytest.mark.parametrize("flat", [True, False])
def test_a_hairline_fades_instead_of_breaking(flat: bool) -> None:
    sums = []
    for size in (3.0, 1.0, 0.5, 0.25):
        image = laid(Brush(size=size, hardness=1.0, flow=1.0), [(40, 60.2), (120, 100.4), (200, 140.6)], flat)
        columns = image[:, 60:180].sum(axis=0)
        assert columns.std() < 0.15 * columns.mean()
        sums.append(columns.mean() / size)
    # A line of half the width lays half.
    assert np.ptp(sums) < 0.35 * np.mean(sums)


def test_batches_speed_and_spacing_make_no_difference() -> None:
    x = np.linspace(50, 200, 61)
    points = [(float(v), float(128 + 40 * np.sin(v / 30))) for v in x]
    brush = Brush(size=30, hardness=0.4, flow=0.2)
    for flat in (True, False):
        whole_ = laid(brush, points, flat)
        assert np.array_equal(laid(brush, points, flat, batches=7), whole_)
        sums = [laid(brush.model_copy(update={"spacing": s}), points, flat).sum() for s in (0.02, 0.05, 0.12, 0.3)]
        assert np.ptp(sums) < 0.02 * np.mean(sums)
        fast = laid(brush, points[::5], flat)
        assert abs(fast.sum() - whole_.sum()) < 0.02 * whole_.sum()


@settings(deadline=None, max_examples=25)
@given(
    st.floats(0.3, 300),
    st.floats(0, 1),
    st.floats(0.05, 1),
    st.floats(0.01, 1),
    st.floats(0, 1),
    st.floats(0.02, 4),
    st.floats(-180, 180),
    st.booleans(),
)
def test_any_brush_stays_within_its_strength(
    size: float, hardness: float, roundness: float, flow: float, strength: float, spacing: float, angle: float, flat: bool
) -> None:
    brush = Brush(size=size, hardness=hardness, roundness=roundness, flow=flow, strength=strength, spacing=spacing, angle=angle)
    image = laid(brush, [(40, 40), (128, 220), (200, 60), (201, 60)], flat)
    assert np.isfinite(image).all()
    assert image.min() >= 0
    assert image.max() <= strength + 1e-6


@pytest.mark.parametrize("flat", [True, False])
def test_edges_of_single_dabs_stay_clean_however_often_they_overlap(flat: bool) -> None:
    """A brush with a limit is laid dab by dab: its line's edge is still the strip's area."""
    x, y = fine(16)
    a, b = np.array([50.0, 60.0]), np.array([210.0, 150.0])
    direction = (b - a) / np.linalg.norm(b - a)
    off, along = np.abs((x - a[0]) * -direction[1] + (y - a[1]) * direction[0]), (x - a[0]) * direction[0] + (y - a[1]) * direction[1]
    brush = Brush(size=40.6, hardness=1.0, flow=1.0, spacing=0.05, facing_deg=60)
    got = laid(brush, [(50, 60), (130, 105), (210, 150)], flat)
    exact = area(off < 20.3, 16)
    edge = (exact > 0) & (exact < 1) & (area((along > 30) & (along < 150), 16) == 1)
    assert np.sqrt(np.mean((got - exact)[edge] ** 2)) < 0.07
    assert got[(exact == 1) & (area((along > 30) & (along < 150), 16) == 1)].min() > 0.99
