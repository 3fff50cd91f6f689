"""What adjustments are set by, what their ranges catch, and layers merged, on a painted ball."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.brush.script import parse_script
from ruvelt.core.brush.target import Paint
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.stack.basics import FacePick
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.document import AdjustLayer, ChannelUse, FillLayer
from ruvelt.core.stack.edits import AddLayer, SetLayer
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.plane_ids import mask_plane_id
from ruvelt.studio.adjusting import catch_to_group, catch_to_mask, histogram, mean_read, measured
from ruvelt.studio.laying import flood
from ruvelt.studio.masks import ADJUST, waiting
from ruvelt.studio.merging import merge_down
from ruvelt.studio.recording import script_since
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from tests.studio.test_colour_groups import BLUE, GREEN, RED, banded
from tests.studio.test_exchange import ball, painted, target

FRONT = Camera(eye=(0, 0, 6), target=(0, 0, 0), width=300, height=300)


def bands(studio: Studio, *ranges: dict[str, Any], **more: Any) -> tuple[Session, str]:
    """A ball with a red, a green and a blue band under an adjustment."""
    session = ball(studio)
    banded(session, target(session))
    sheet = session.document.textured[0].id
    layer = AdjustLayer.model_validate(
        {"id": "adj", "name": "Recolour", "channels": {"base_color": ChannelUse()}, "adjust": {"kind": "hsv"}, "ranges": ranges, **more}
    )
    session.edit(AddLayer(sheet=sheet, layer=layer), "Add")
    return session, sheet


def a_range(range_id: str, colour: tuple[float, float, float], **settings: Any) -> dict[str, Any]:
    return {"id": range_id, "colour": colour, "tolerance": 0.05, "softness": 0.02, "adjust": {"kind": "hsv", **settings}}


def colours(session: Session, sheet: str) -> np.ndarray:
    """(3, n) uint16 of covered samples."""
    evaluator = session.display(sheet).evaluator
    whole = np.concatenate([evaluator.composite("base_color", c) for c in range(evaluator.samples.chunk_count)], axis=1)
    return np.asarray(whole[:, evaluator.samples.covered])


def share_of(values: np.ndarray, colour: tuple[float, float, float]) -> float:
    return float((np.abs(values / 65535 - np.array(colour)[:, None]) < 0.01).all(axis=0).mean())


def test_a_histogram_counts_what_lies_beneath(studio: Studio) -> None:
    session, sheet = bands(studio, adjust={"kind": "invert"})
    beneath = colours(session, sheet)
    session.edit(SetLayer(sheet=sheet, layer="adj", values={"visible": False}), "Hide")
    plain = colours(session, sheet)
    assert not np.array_equal(beneath, plain)
    found = histogram(session, sheet, "adj", "base_color")
    for k in range(3):
        assert found[k] == np.histogram(np.rint(plain[k] / 257), bins=256, range=(-0.5, 255.5))[0].tolist()
    # On picked faces fewer, and of one band only that colour.
    faces = [FacePick(by="face", index=0)]
    few = np.array(histogram(session, sheet, "adj", "base_color", picks=faces))
    marked = session.samples(session.sheet(sheet)).face == 0
    assert few.sum() == 3 * int(marked.sum())
    seen = np.array(histogram(session, sheet, "adj", "base_color", camera=FRONT))
    assert 0 < seen[0].sum() < 320 * 320
    assert len(histogram(session, sheet, "adj", "roughness")) == 1
    with pytest.raises(NotFound):
        histogram(session, sheet, "adj", "none")


def test_a_press_reads_what_lies_beneath_and_a_drag_its_mean(studio: Studio) -> None:
    session, sheet = bands(studio, adjust={"kind": "invert"})
    assert_allclose(mean_read(session, sheet, "adj", FRONT, np.array([[150.0, 150.0]])), GREEN, atol=2e-4)
    low, middle = mean_read(session, sheet, "adj", FRONT, np.array([[150.0, 230.0]])), GREEN
    both = mean_read(session, sheet, "adj", FRONT, np.array([[150.0, 150.0], [150.0, 230.0]]))

    def light(c: tuple[float, ...]) -> np.ndarray:
        v = np.array(c)
        return np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4)

    assert_allclose(light(both), (light(low) + light(middle)) / 2, atol=2e-4)
    with pytest.raises(InputError, match="no surface"):
        mean_read(session, sheet, "adj", FRONT, np.array([[1.0, 1.0]]))


def test_a_clipped_adjustment_counts_and_reads_only_what_its_layer_lays(studio: Studio) -> None:
    """On a layer that covers half, over a blue fill: neither the blue nor what is bare is counted, read or caught."""
    session, sheet = bands(studio, a_range("r", RED), reach="clip")
    paint = session.sheet(sheet).layers[1]
    blue = FillLayer(id="under", name="Under", channels={"base_color": ChannelUse(value=(0.0, 0.0, 1.0))})
    session.edit(AddLayer(sheet=sheet, layer=blue, index=2), "Fill")
    session.edit(SetLayer(sheet=sheet, layer=paint.id, values={"strength": 0.5}), "Half")
    found = np.array(histogram(session, sheet, "adj", "base_color"))
    samples = session.samples(session.sheet(sheet))
    assert found[0].sum() == samples.covered.sum()
    assert found[2][255] == 0
    assert_allclose(mean_read(session, sheet, "adj", FRONT, np.array([[150.0, 150.0]])), GREEN, atol=2e-4)
    session.edit(SetLayer(sheet=sheet, layer=paint.id, values={"mask": Mask(sources=(PaintedSource(id="m"),))}), "Hide all")
    assert np.sum(histogram(session, sheet, "adj", "base_color")) == 0
    with pytest.raises(InputError, match="lays nothing there"):
        mean_read(session, sheet, "adj", FRONT, np.array([[150.0, 150.0]]))
    with pytest.raises(InputError, match="catches nothing"):
        catch_to_mask(session, sheet, "adj", "")
    with pytest.raises(InputError, match="no colours for Recolour"):
        measured(session, sheet, "adj", goal_layer="under")


def test_only_the_band_is_recoloured_and_next_week_the_number_changes(studio: Studio) -> None:
    session, sheet = bands(studio, a_range("r", RED, hue=120))
    before = share_of(colours(session, sheet), (0.1, 0.8, 0.1))
    assert before > 0.2
    assert share_of(colours(session, sheet), RED) < 0.01
    assert share_of(colours(session, sheet), BLUE) > 0.2
    uid = session.uid
    studio.release(uid)
    again = studio.session(uid)
    layer = again.sheet(sheet).find("adj")
    assert isinstance(layer, AdjustLayer)
    assert layer.ranges[0].adjust.hue == 120  # type: ignore[attr-defined]
    ranges = [layer.ranges[0].model_copy(update={"adjust": {"kind": "hsv", "hue": -120}}).model_dump()]
    again.edit(SetLayer(sheet=sheet, layer="adj", values={"ranges": ranges}), "Another hue")
    assert_allclose(share_of(colours(again, sheet), (0.1, 0.1, 0.8)), before, atol=0.02)


def test_what_a_range_catches_becomes_a_mask_that_is_painted_further(studio: Studio) -> None:
    session, sheet = bands(studio, a_range("r", RED), a_range("b", BLUE))
    made = catch_to_mask(session, sheet, "adj", "r")
    layer = session.sheet(sheet).find(made)
    assert layer is not None
    assert session.sheet(sheet).layers[0].id == made
    aim = target(session).model_copy(update={"layer": made, "channels": ("base_color",)})
    flood(session, aim, Paint(values={"base_color": (1.0, 1.0, 1.0)}), None, 1.0)
    assert_allclose(share_of(colours(session, sheet), (1, 1, 1)), 0.33, atol=0.12)
    assert share_of(colours(session, sheet), BLUE) > 0.2
    plane = mask_plane_id(sheet, made, "m1")
    assert session.store.planes[plane].chunks
    session.undo()
    session.undo()
    assert session.sheet(sheet).find(made) is None
    # All ranges together.
    both = catch_to_mask(session, sheet, "adj", "")
    evaluator = session.display(sheet).evaluator
    covered = evaluator.samples.covered
    shown = np.concatenate([evaluator.composite(f"mask:{both}", c)[0] for c in range(evaluator.samples.chunk_count)])[covered]
    assert 0.5 < (shown > 60000).mean() < 0.8


def test_what_a_range_catches_becomes_a_face_group(studio: Studio) -> None:
    session, sheet = bands(studio, a_range("r", RED) | {"name": "Red band"}, a_range("n", (0.9, 0.9, 0.1)))
    catch_to_group(session, sheet, "adj", "r")
    group = session.document.face_sets[0]
    assert group.name == "Red band"
    middle = session.model.positions[session.model.corner_vertex].astype(float)
    low = np.add.reduceat(middle[:, 1], session.model.face_starts[:-1]) / np.diff(session.model.face_starts) < -0.35
    assert (session.faces.mark(group.picks) == low).mean() > 0.97
    with pytest.raises(InputError, match="more tolerance"):
        catch_to_group(session, sheet, "adj", "n")
    with pytest.raises(InputError, match="catches nothing"):
        catch_to_mask(session, sheet, "adj", "n")
    with pytest.raises(NotFound):
        catch_to_mask(session, sheet, "adj", "gone")
    with pytest.raises(Conflict):
        catch_to_mask(session, sheet, "adj", "r", revision=1)


def test_a_match_is_measured_once_and_told(studio: Studio) -> None:
    session, sheet = bands(studio, adjust={"kind": "match"})
    sand = FillLayer(id="sand", name="Sand", channels={"base_color": ChannelUse(value=(0.8, 0.7, 0.5))})
    session.edit(AddLayer(sheet=sheet, layer=sand, index=9), "Add")
    found = measured(session, sheet, "adj", goal_layer="sand")
    assert found["goal_name"] == "Sand"
    assert_allclose(found["goal"].spread, 0, atol=1e-5)
    settings = {"kind": "match", "source": found["source"].model_dump(), "goal": found["goal"].model_dump(), "goal_name": "Sand"}
    session.edit(SetLayer(sheet=sheet, layer="adj", values={"adjust": settings}), "Match")
    # One colour has no spread: all that is beneath moves to it, much flatter than before.
    now = colours(session, sheet) / 65535
    assert_allclose(now.mean(axis=1), (0.8, 0.7, 0.5), atol=0.04)
    assert now.std() < 0.25
    with pytest.raises(InputError, match="another layer or a picture"):
        measured(session, sheet, "adj", goal_layer="adj")
    with pytest.raises(NotFound):
        measured(session, sheet, "adj", goal_picture="none")
    rough = FillLayer(id="rough", name="Rough", channels={"roughness": ChannelUse(value=(0.2,))})
    session.edit(AddLayer(sheet=sheet, layer=rough), "Add")
    with pytest.raises(InputError, match="lays no base colour"):
        measured(session, sheet, "adj", goal_layer="rough")


def test_layers_merged_down_look_as_they_did_and_undo_brings_them_back(studio: Studio) -> None:
    session = ball(studio)
    painted(studio, session)
    sheet = session.document.textured[0].id
    glaze = FillLayer.model_validate(
        {"id": "glaze", "name": "Glaze", "strength": 0.4, "channels": {"base_color": {"value": (0.9, 0.8, 0.1)}, "roughness": {"value": (0.2,)}},
         "mask": {"sources": [{"kind": "noise", "id": "m"}]}}
    )  # fmt: skip
    session.edit(AddLayer(sheet=sheet, layer=glaze), "Add")
    warm = {"id": "warm", "name": "Warm", "channels": {"base_color": {}}, "adjust": {"kind": "hsv", "hue": 20}, "reach": "clip"}
    session.edit(AddLayer(sheet=sheet, layer=AdjustLayer.model_validate(warm)), "Add")
    before, count = colours(session, sheet).astype(int), len(session.sheet(sheet).layers)
    made = merge_down(session, sheet, "warm")
    made = merge_down(session, sheet, made)
    assert len(session.sheet(sheet).layers) == count - 2
    assert np.abs(colours(session, sheet).astype(int) - before).max() <= 3
    evaluator = session.display(sheet).evaluator
    rough = np.concatenate([evaluator.composite("roughness", c)[0] for c in range(evaluator.samples.chunk_count)])
    assert len(np.unique(rough[evaluator.samples.covered])) > 100
    session.undo()
    session.undo()
    assert_array_equal(colours(session, sheet), before)
    with pytest.raises(InputError, match="Nothing lies beneath"):
        merge_down(session, sheet, session.sheet(sheet).layers[-1].id)
    session.edit(SetLayer(sheet=sheet, layer="glaze", values={"locked": True}), "Lock")
    with pytest.raises(InputError, match="locked"):
        merge_down(session, sheet, "warm")
    assert made


def test_a_script_makes_the_same_adjustment_and_the_record_gives_it_back(studio: Studio) -> None:
    session, sheet = bands(studio, a_range("r", RED, hue=120), rest=True, components=("r", "g"), reach="clip")
    script = script_since(session, 0)
    again = ball(studio)
    replay(again, parse_script({**script, "steps": [s for s in script["steps"] if s["do"] == "add-layer"]}))
    made, wanted = again.sheet(sheet).layers[0], session.sheet(sheet).find("adj")
    assert wanted is not None
    assert made.model_dump(exclude={"id"}) == wanted.model_dump(exclude={"id"})


def test_what_waits_for_a_colour_or_a_picture_says_so(studio: Studio) -> None:
    session, sheet = bands(studio)
    assert waiting(session, sheet) == {}
    session.edit(SetLayer(sheet=sheet, layer="adj", values={"adjust": {"kind": "match"}}), "Match")
    assert waiting(session, sheet) == {"adj": [ADJUST]}
    session.edit(SetLayer(sheet=sheet, layer="adj", values={"adjust": {"kind": "white_balance"}}), "White balance")
    assert waiting(session, sheet) == {"adj": [ADJUST]}
    session.edit(SetLayer(sheet=sheet, layer="adj", values={"adjust": {"kind": "white_balance", "neutral": (0.6, 0.5, 0.4)}}), "Pick")
    assert waiting(session, sheet) == {}
