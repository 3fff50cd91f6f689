"""Adjustments of one value at a time against their formulas, on texels and on vertices alike."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_array_equal
from pydantic import ValidationError

from ruvelt.core import Canvas, VertexCanvas
from ruvelt.core.stack.channels import STANDARD_CHANNELS
from ruvelt.core.stack.document import AdjustLayer, ChannelUse
from ruvelt.core.stack.kinds.adjustment import PointAdjust
from ruvelt.core.stack.kinds.adjustments.contrast import ContrastAdjust
from ruvelt.core.stack.kinds.adjustments.curve import CurveAdjust
from ruvelt.core.stack.kinds.adjustments.invert import InvertAdjust
from ruvelt.core.stack.kinds.adjustments.levels import LevelsAdjust
from ruvelt.core.stack.kinds.adjustments.posterise import PosteriseAdjust
from ruvelt.core.stack.plane_ids import plane_id
from tests.core.scene import paint_layer
from tests.core.test_vertex_paint import plane_of
from tests.meshes import square

#: Vertices of a plate: enough for a quarter of all codes.
N = 128


def adjusted(adjust: PointAdjust, values_u16: np.ndarray, channel: str = "roughness") -> np.ndarray:
    """Codes of a channel of one component under an adjustment, on the vertices of a plate."""
    layer = AdjustLayer(id="a", name="A", channels={channel: ChannelUse()}, adjust=adjust)
    canvas = VertexCanvas(plane_of(N), (layer, paint_layer()))
    whole = np.zeros((2, canvas.samples.slot_count), np.uint16)
    whole[0, canvas.samples.slot_of_vertex], whole[1] = values_u16, 65535
    canvas.put_plane(plane_id("s", "p", channel), whole)
    return canvas.vertex_values(channel)[:, 0]


CODES = np.rint(np.linspace(0, 65535, N * N)).astype(np.uint16)


@pytest.mark.parametrize("adjust", [ContrastAdjust(), CurveAdjust(), LevelsAdjust(), ContrastAdjust(pivot=0.2)], ids=lambda a: a.kind)
def test_what_is_left_as_it_is_changes_no_code(adjust: PointAdjust) -> None:
    assert_array_equal(adjusted(adjust, CODES), CODES)


def test_the_negative_is_exact_and_twice_is_none() -> None:
    once = adjusted(InvertAdjust(), CODES)
    assert_array_equal(once, 65535 - CODES)
    assert_array_equal(adjusted(InvertAdjust(), once), CODES)


@pytest.mark.parametrize(("brightness", "contrast", "pivot"), [(0.2, 0.0, 0.5), (-0.1, 0.5, 0.5), (0.0, -0.6, 0.25), (0.05, 0.9, 0.7)])
def test_contrast_is_a_line_through_its_pivot(brightness: float, contrast: float, pivot: float) -> None:
    slope = np.tan((contrast + 1) * np.pi / 4)
    wanted = np.clip(pivot + slope * (CODES / 65535 - pivot) + brightness, 0, 1) * 65535
    found = adjusted(ContrastAdjust(brightness=brightness, contrast=contrast, pivot=pivot), CODES)
    assert np.abs(found - wanted).max() <= 0.51


def test_curves_meet_their_points_and_never_turn_back_between_them() -> None:
    points = ((0.0, 0.1), (0.25, 0.2), (0.5, 0.8), (1.0, 0.9))
    found = adjusted(CurveAdjust(points=points), CODES).astype(int)
    for x, y in points:
        assert abs(found[np.abs(CODES / 65535 - x).argmin()] - y * 65535) < 4
    assert (np.diff(found) >= 0).all()
    assert_array_equal(adjusted(CurveAdjust(points=((0.0, 1.0), (1.0, 0.0))), CODES), 65535 - CODES)
    with pytest.raises(ValidationError, match="left to right"):
        CurveAdjust(points=((0.0, 0.0), (0.6, 0.2), (0.4, 0.9)))


@pytest.mark.parametrize("count", [2, 5, 32])
def test_posterised_values_are_so_many_and_even(count: int) -> None:
    found = adjusted(PosteriseAdjust(count=count), CODES)
    assert_array_equal(np.unique(found), np.rint(np.arange(count) / (count - 1) * 65535))
    # As many old values go into each.
    assert np.ptp(np.unique(found, return_counts=True)[1]) <= 2


def test_height_has_no_negative_and_texels_are_adjusted_as_vertices_are() -> None:
    suits = {c.id: InvertAdjust().suits(c) for c in STANDARD_CHANNELS}
    assert {c for c, yes in suits.items() if not yes} == {"height"}
    assert_array_equal(adjusted(InvertAdjust(), CODES, "height"), CODES)
    adjust = ContrastAdjust(contrast=0.4, pivot=0.3)
    layer = AdjustLayer(id="a", name="A", channels={"base_color": ChannelUse()}, adjust=adjust)
    canvas = Canvas(square(), (layer, paint_layer()), side=256)
    colours = np.random.default_rng(5).integers(0, 65536, (3, canvas.samples.slot_count)).astype(np.uint16)
    full = np.full((1, canvas.samples.slot_count), 65535, np.uint16)
    canvas.put_plane(plane_id("s", "p", "base_color"), np.concatenate([colours, full]))
    on = canvas.samples.covered
    found = canvas.evaluator.composite("base_color", 0)[:, on]
    wanted = np.clip(0.3 + np.tan(1.4 * np.pi / 4) * (colours[:, on] / 65535 - 0.3), 0, 1) * 65535
    assert np.abs(found - wanted).max() <= 0.51
