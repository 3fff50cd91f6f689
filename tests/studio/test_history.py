"""What history keeps of the hand: typed, read as older projects stored it, and never a reason not to open one."""

from __future__ import annotations

import json

import pytest

from ruvelt.core.brush.script import RecordedStroke, StrokeStep
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.stack.basics import FacePick
from ruvelt.studio.history import Flood, KeptCopies, KeptFlood, KeptResolution, KeptStroke, read_step, stored_step

AIM = Target(sheet="wood", layer="l1", channels=("base_color",))
RED = Paint(values={"base_color": (1.0, 0.0, 0.0)})
STROKE = RecordedStroke(target=AIM, brush=Brush(size=30), paint=RED, stroke=StrokeStep(do="stroke", sheet=((1.0, 2.0), (3.0, 4.0))))
STEPS = [
    KeptStroke.of(STROKE, (2,)),
    KeptFlood.of(Flood(picks=(FacePick(by="part", index=1),), strength=0.5), AIM, RED, ()),
    KeptFlood.of(Flood(picks=None, strength=1.0), AIM, RED, (0, 1)),
    KeptCopies(copies={"wood/l2/base_color": "wood/l1/base_color"}),
    KeptResolution(sheet="wood", resolution=512, was=256),
]


@pytest.mark.parametrize("step", STEPS, ids=lambda s: s.did)
def test_every_step_comes_back_from_json(step: KeptStroke) -> None:
    stored = json.loads(json.dumps(stored_step(step)))
    assert (stored["did"], stored["version"]) == (step.did, 1)
    assert read_step(stored) == step


@pytest.mark.parametrize("step", STEPS, ids=lambda s: s.did)
def test_steps_that_did_not_yet_say_what_they_are(step: KeptStroke) -> None:
    older = {k: v for k, v in stored_step(step).items() if k not in ("did", "version")}
    assert read_step(older) == step


def test_a_stroke_is_the_stroke_that_was_laid() -> None:
    kept = read_step(stored_step(KeptStroke.of(STROKE, (2,))))
    assert isinstance(kept, KeptStroke)
    assert kept.recorded() == STROKE
    assert kept.hidden == (2,)


def test_a_tool_that_is_gone_is_named_and_keeps_what_it_had() -> None:
    stored = {**stored_step(KeptStroke.of(STROKE, ())), "paint": {"tool": "bleach", "settings": {"amount": 0.25}, "glow": [1, 2]}}
    kept = read_step(stored)
    assert isinstance(kept, KeptStroke)
    assert kept.tool == "bleach"
    assert stored_step(kept)["paint"] == stored["paint"]


@pytest.mark.parametrize(
    "stored",
    [{"did": "sculpt", "version": 1}, {"did": "stroke", "version": 2, "target": {}, "stroke": {}}, {"n": 3}, {}, {"did": "copies", "copies": [1]}],
)
def test_what_cannot_be_read_is_taken_by_its_pixels(stored: dict[str, object], caplog: pytest.LogCaptureFixture) -> None:
    assert read_step(stored) is None
    assert "cannot be read" in caplog.text
    assert read_step(None) is None
