"""Strokes of picture tips, of two colours and with a grain, laid without gaps: against the continuous integral along their paths."""

from __future__ import annotations

import cv2
import numpy as np
import pytest

from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import START_SPACING, Brush, Grain, Mirror, Mixing
from ruvelt.core.brush.sweeps import KEPT, Sweeps
from ruvelt.core.brush.target import Paint
from ruvelt.core.brush.tips import TIPS, load_tips
from tests.core.scene import Scene, paint_layer, target, whole
from tests.core.test_body import PAINT, SIDE, laid, ripple
from tests.meshes import square

START, MIDDLE, END = (60.0, 70.0), (130.0, 120.0), (200.0, 170.0)


def at(x: float, y: float) -> Point:
    """A place on the plate, texels, y down."""
    return Point((x / 128 - 1, 1 - y / 128, 0.0))


def integral(brush: Brush, steps: int = 500) -> np.ndarray:
    """(256, 256) coverage of the straight stroke in double precision: the picture's weight along the whole way, and a dab at both ends."""
    picture = load_tips(brush.tips, brush.size)[0]
    y, x = np.mgrid[0:SIDE, 0:SIDE] + 0.5
    turn, r = np.radians(brush.angle), brush.size / 2
    cos, sin, side = np.cos(turn), np.sin(turn), len(picture)
    direction = np.subtract(END, START)

    def tip(px: float, py: float) -> np.ndarray:
        # Angles count against the clock, y is down.
        a, b = ((x - px) * cos - (y - py) * sin) / r, (-(y - py) * cos - (x - px) * sin) / r / brush.roundness
        column, row = ((a + 1) * side / 2 - 0.5).astype(np.float32), ((1 - b) * side / 2 - 0.5).astype(np.float32)
        return cv2.remap(picture, column, row, cv2.INTER_LINEAR, borderMode=cv2.BORDER_CONSTANT).astype(np.float64)

    length = np.hypot(direction[0] * cos - direction[1] * sin, (direction[0] * sin + direction[1] * cos) / brush.roundness) / r
    total = sum(tip(*(np.array(START) + direction * (i + 0.5) / steps)) for i in range(steps)) * length / steps
    left = np.exp(total * np.log(1 - brush.flow) / (2 * START_SPACING))
    for place in (START, END):
        left = left * (1 - brush.flow * tip(*place))
    return np.asarray(brush.strength * (1 - left))


@pytest.mark.parametrize("flat", [True, False])
@pytest.mark.parametrize("tip", [tip.id for tip in TIPS])
def test_a_picture_is_laid_as_its_integral_along_the_way(tip: str, flat: bool) -> None:
    for more in ({"angle": 37.0}, {"roundness": 0.4, "angle": -20.0}):
        brush = Brush(size=64, tips=(tip,), flow=0.3, strength=0.9, **more)  # type: ignore[arg-type]
        got, exact = laid(brush, [START, MIDDLE, END], flat), integral(brush)
        # At edges finer than a texel the turned picture is a little softer.
        assert np.abs(got - exact).max() < 0.035
        assert np.sqrt(np.mean((got - exact)[exact > 0] ** 2)) < 0.006
        # No dab shows: along the stroke there is no more to see than in the integral.
        assert ripple(got, brush, START, END) < ripple(exact, brush, START, END) + 3


def test_batches_and_spacing_make_no_difference() -> None:
    points = [(60.0 + 14 * i, 128 + 40 * np.sin(i / 2)) for i in range(10)]
    brush = Brush(size=50, tips=("hatch",), flow=0.3, spacing=0.02)
    whole_stroke = laid(brush, points, False)
    assert np.array_equal(whole_stroke, laid(brush, points, False, 7))
    assert np.array_equal(whole_stroke, laid(brush.model_copy(update={"spacing": 0.19}), points, False))


def test_more_ways_than_tables_are_laid_part_by_part() -> None:
    """A spiral asks for every way: the few tables that are kept change nothing."""
    brush = Brush(size=40, tips=("leaf",), flow=0.3)
    t = np.linspace(0, 6 * np.pi, 200)
    points = [(128 + (20 + 3 * a) * np.cos(a), 128 + (20 + 3 * a) * np.sin(a)) for a in t]
    assert np.array_equal(laid(brush, points, True), laid(brush, points, True, 50))
    rows = np.zeros((300, 35), np.float32)
    turn = np.linspace(0, 2 * np.pi, 300)
    rows[:, 7], rows[:, 11], rows[:, 13], rows[:, 20] = 1, 1, 1, 1
    rows[:, 31], rows[:, 32] = np.cos(turn), np.sin(turn)
    parts = [(part, swept.turns.copy(), swept.tables.copy()) for part, swept in Sweeps(load_tips(("leaf",), 16)[0], 1.0).parts(rows)]
    assert len(parts) > 4
    assert np.concatenate([np.arange(300)[part] for part, _, _ in parts]).tolist() == list(range(300))
    for part, turns, tables in parts:
        assert len(np.unique(turns[:, 0])) <= KEPT
        # Each reads the table of its own way, within half a step: what runs on to the right edge is the picture's whole line.
        off = np.angle(np.exp(2j * (turn[part] - np.arctan2(turns[:, 2], turns[:, 1])))) / 2
        assert np.abs(off).max() <= np.pi / 96 / 2 + 1e-5
        assert (tables[turns[:, 0].astype(int)].max(axis=(1, 2)) > 0).all()


def test_two_colours_along_a_stroke_run_without_crescents() -> None:
    """Along the middle the mixture goes up and down in straight lines; dab by dab it has steps."""
    for hardness, size in ((1.0, 60.0), (0.5, 60.0)):
        brush = Brush(size=size, hardness=hardness, flow=1.0, mix=Mixing(mode="along", length=4.0))
        scene = Scene(square(), (paint_layer(),), SIDE)
        brush = brush.model_copy(update={"size": size / SIDE, "size_unit": "object"})
        live = scene.live(target("roughness"), Paint(values={"roughness": (0.0,)}, second={"roughness": (1.0,)}), brush=brush)
        live.dabs(whole(SurfacePath(brush, scene.samples), [at(30, 128), at(128, 128), at(226, 128)]))
        values = next(iter(live.changes.values()))
        picture = scene.samples.to_image(values[0][0].astype(np.float32) / 65535)[128, 60:200] * 255
        # The mixture rises by 255 over a length of four diameters.
        steps = np.diff(picture)
        assert np.abs(np.abs(steps[10:-10]).max() - 255 / (4 * size)) < 1.2
        assert np.abs(np.diff(steps)).max() < 1.5


def test_a_swept_picture_keeps_its_grain_its_limits_and_its_twin() -> None:
    brush = Brush(size=50 / SIDE, size_unit="object", tips=("square",), flow=0.4)
    plain = Scene(square(), (paint_layer(),), SIDE)

    def coverage(brush: Brush) -> np.ndarray:
        live = plain.live(target("roughness"), PAINT, brush=brush)
        live.dabs(whole(SurfacePath(brush, plain.samples), [at(60, 100), at(128, 90), at(200, 140)]), brush.mirror)
        return plain.samples.to_image(live.coverage.values)

    whole_one = coverage(brush)
    grained = coverage(brush.model_copy(update={"grain": Grain(picture="flecks", size=0.05, depth=1.0)}))
    assert (grained <= whole_one + 1e-6).all()
    assert grained[105, 80:180].std() > 0.02
    twins = coverage(brush.model_copy(update={"mirror": Mirror(y=True)}))
    assert np.abs(twins - np.maximum(whole_one, whole_one[::-1])).max() < 2e-3
    past = coverage(brush.model_copy(update={"build": "past", "strength": 0.5}))
    assert past.max() > 0.75
    assert coverage(brush.model_copy(update={"back": True})).max() == 0
