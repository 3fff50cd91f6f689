"""The curve through pointer samples against the figures that the samples were taken from."""

from __future__ import annotations

from itertools import pairwise

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.brush.curve import Curve
from ruvelt.core.brush.path import Point, SheetPath
from ruvelt.core.brush.settings import Brush

#: Of a device that tells 60 places a second.
RATE = 1 / 60


def samples(places: np.ndarray, pressure: float | np.ndarray = 1.0, step: float = RATE) -> np.ndarray:
    """(n, 5) samples of (n, 2) places; step : seconds between them, 0 for none known."""
    out = np.zeros((len(places), 5))
    out[:, :2], out[:, 3] = places, pressure
    out[:, 4] = (1 + np.arange(len(places))) * step
    return out


def drawn(places: np.ndarray, pressure: float | np.ndarray = 1.0, step: float = RATE, unit: float = 1.0) -> np.ndarray:
    return Curve(unit).extend(samples(places, pressure, step), True)


def away(points: np.ndarray, line: np.ndarray) -> np.ndarray:
    """Distance of each of (n, 2) points from a polyline."""
    a, b = line[:-1], line[1:]
    d = b - a
    t = np.clip(np.einsum("nmk,mk->nm", points[:, None] - a, d) / np.maximum((d * d).sum(1), 1e-30), 0, 1)
    return np.linalg.norm(points[:, None] - (a + t[..., None] * d), axis=2).min(axis=1)


@pytest.mark.parametrize("count", [9, 12, 24])
def test_a_fast_circle_is_round(count: int) -> None:
    angle = np.linspace(0, 2 * np.pi, count + 1)
    line = drawn(100 * np.stack([np.cos(angle), np.sin(angle)], 1))
    radius = np.linalg.norm(line[:, :2], axis=1)
    assert_allclose(radius, 100, rtol=0.02)
    # Nor is it a polygon of few long chords.
    assert np.abs(np.diff(line[:, :2], axis=0)).max() < 12


def test_a_spiral_and_a_figure_of_eight_follow_their_formulas() -> None:
    for formula in (
        lambda t: (20 + 20 * t)[:, None] * np.stack([np.cos(2 * np.pi * t), np.sin(2 * np.pi * t)], 1),
        lambda t: np.stack([150 * np.sin(np.pi * t), 80 * np.sin(2 * np.pi * t)], 1),
    ):
        line = drawn(formula(np.linspace(0, 2, 29)))
        true = formula(np.linspace(0, 2, 4000))
        chords = formula(np.linspace(0, 2, 29))
        assert away(true[::10], line[:, :2]).max() < 0.3 * away(true[::10], chords).max()
        assert away(true[::10], line[:, :2]).max() < 1.6


def test_the_ends_bend_as_the_rest_does() -> None:
    """The first and the last piece have no neighbour beyond them; they are arcs, not chords."""
    angle = np.linspace(0, np.pi, 5)
    line = drawn(100 * np.stack([np.cos(angle), np.sin(angle)], 1))
    assert_allclose(np.linalg.norm(line[:, :2], axis=1), 100, rtol=0.02)


def test_a_straight_line_stays_straight_and_takes_no_more_points() -> None:
    at = np.cumsum([0.0, 10, 30, 11, 50, 5])
    line = drawn(np.stack([at, 2 * at], 1))
    assert_allclose(line[:, 1], 2 * line[:, 0], atol=1e-9)
    assert len(line) == len(at)


def test_a_slow_corner_stays_a_corner_and_a_fast_one_is_rounded() -> None:
    leg = np.arange(0, 41, 2.0)
    places = np.concatenate([np.stack([leg, 0 * leg], 1), np.stack([0 * leg[1:] + 40, leg[1:]], 1)])
    slow = drawn(places, step=RATE)
    # Both legs are straight right up to the corner, but for half a pixel that the hand's shaking is allowed.
    assert away(slow[:, :2], np.array([[0, 0], [40, 0], [40, 40.0]])).max() < 0.36
    sparse = np.array([[0, 0], [40, 0], [40, 40.0]])
    assert len(drawn(sparse, step=0)) == 3
    fast = drawn(sparse, step=RATE)
    assert fast[:, 1].min() < -1


def test_a_zigzag_passes_through_its_samples() -> None:
    places = np.stack([np.arange(12) * 15.0, np.tile([0.0, 40.0], 6)], 1)
    for step in (0, RATE, 1.0):
        line = drawn(places, step=step)
        assert away(places, line[:, :2]).max() < 1e-9


def test_what_a_device_rounds_to_whole_pixels_is_smoothed_by_half() -> None:
    angle = np.linspace(0, 2 * np.pi, 500)
    true = 100 * np.stack([np.cos(angle), np.sin(angle)], 1)
    given = np.rint(true)
    line = drawn(given[np.r_[True, (np.diff(given, axis=0) != 0).any(1)]], step=1 / 120)
    rough = np.sqrt(np.mean((np.linalg.norm(given, axis=1) - 100) ** 2))
    smooth = np.sqrt(np.mean((np.linalg.norm(line[:, :2], axis=1) - 100) ** 2))
    assert smooth < 0.62 * rough


def test_pressure_goes_with_the_curve_and_never_beyond_its_samples() -> None:
    angle = np.linspace(0, 4, 9)
    pressure = np.array([0.1, 0.1, 0.5, 1, 1, 1, 0.4, 0.1, 0.0])
    line = drawn(100 * np.stack([np.cos(angle), np.sin(angle)], 1), pressure)
    assert line[0, 3] == 0.1
    assert line[-1, 3] == 0.0
    assert line[:, 3].min() >= 0
    assert line[:, 3].max() <= 1
    for a, b in pairwise(pressure):
        assert np.any((line[:, 3] >= min(a, b)) & (line[:, 3] <= max(a, b)))


coordinate = st.floats(-500, 500, allow_nan=False, width=32)


@settings(deadline=None, max_examples=60)
@given(st.lists(st.tuples(coordinate, coordinate, st.floats(0, 1)), min_size=1, max_size=24), st.integers(1, 7), st.booleans())
def test_batches_change_no_byte_and_nothing_is_not_a_number(given: list[tuple[float, float, float]], cut: int, timed: bool) -> None:
    places = np.array([g[:2] for g in given])
    of = samples(places, np.array([g[2] for g in given]), RATE if timed else 0)
    whole = Curve(1.0).extend(of, True)
    curve = Curve(1.0)
    parts = [curve.extend(of[i : i + cut]) for i in range(0, len(of), cut)]
    assert_array_equal(np.concatenate([*parts, curve.extend(np.zeros((0, 5)), True)]), whole)
    assert np.isfinite(whole).all()
    # The hand's last place is where the curve ends.
    assert_allclose(whole[-1, :2], places[-1], atol=1e-5)


def test_dabs_of_a_fast_circle_lie_on_it() -> None:
    angle = np.linspace(0, 2 * np.pi, 10)
    path = SheetPath(Brush(size=10, spacing=0.1), 1.0, 1.0, 1000.0)
    points = [Point((300 + 200 * np.cos(a), 300 + 200 * np.sin(a)), 1.0, 1 + i * RATE) for i, a in enumerate(angle)]
    dabs = np.concatenate([path.extend(points), path.finish()])
    assert_allclose(np.linalg.norm(dabs[:, :2] - 300, axis=1), 200, rtol=0.02)
    gaps = np.linalg.norm(np.diff(dabs[:, :2], axis=0), axis=1)
    # Swept in steps of a fifth of the diameter; the last is what was left, and there once more.
    assert_allclose(gaps[:-2], 2.0, rtol=0.01)
    assert gaps[-2] <= 2.001
    assert gaps[-1] == 0
