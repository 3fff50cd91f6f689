"""Scripts that use every hand tool: replayed, recorded, repainted, and a project that outlives its writer."""

from __future__ import annotations

import numpy as np
import pytest
from numpy.testing import assert_allclose

from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.studio.recording import script_since
from ruvelt.studio.repaint import change_resolution
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import StrokeBegin, StrokeDesk, StrokeMessage
from ruvelt.studio.studio import Studio
from tests.studio.test_replay import crate, pixels, quiet, script

VIEW = {"eye": [0, 0, 6], "target": [0, 0, 0], "width": 600, "height": 600}
TWO = {"values": {"base_color": [0.8, 0.2, 0.1]}, "second": {"base_color": [0.1, 0.2, 0.8]}}
ACROSS = [[-0.6, 0.1, 1.0], [0.6, 0.1, 1.0]]

#: One step or two for every tool.
TOOLS: dict[str, list[dict[str, object]]] = {
    "tip, grain and mixing": [
        {
            "do": "brush",
            "brush": {
                "size": 0.3,
                "size_unit": "object",
                "tips": ["sponge", "chalk"],
                "flip": "random",
                "grain": {"picture": "grit"},
                "mix": {"mode": "across"},
                "jitter_hue": 0.1,
            },
        },
        {"do": "stroke", "surface": ACROSS},
    ],
    "spray": [{"do": "brush", "brush": {"size": 0.05, "size_unit": "object", "spray": 8, "jitter_place": 1}}, {"do": "stroke", "surface": ACROSS}],
    "curve": [
        {"do": "brush", "brush": {"size": 20}},
        {"do": "stroke", "shape": {"kind": "curve", "surface": [[-0.6, 0, 1], [0, 0.5, 1], [0.6, 0, 1]], "camera": VIEW}},
    ],
    "row": [
        {"do": "brush", "brush": {"size": 30, "tips": ["rivet"]}},
        {"do": "stroke", "shape": {"kind": "line", "surface": ACROSS, "camera": VIEW, "row": {"count": 5, "alternate": "flip"}}},
    ],
    "stamp": [
        {"do": "brush", "brush": {"tips": ["leaf"]}},
        {"do": "stroke", "shape": {"kind": "stamp", "surface": [[0, 0, 1], [0.4, 0.2, 1]], "camera": VIEW, "bend": True}},
    ],
    "filled": [{"do": "stroke", "shape": {"kind": "line", "sheet": [[5, 5], [250, 20], [120, 240]], "closed": True, "filled": True}}],
    "smear": [
        {"do": "stroke", "surface": ACROSS},
        {"do": "paint", "paint": {"tool": "smear", "reads": "layer"}},
        {"do": "stroke", "surface": [[0, 0.3, 1], [0, -0.2, 1]]},
    ],
    "confined": [{"do": "paint", "paint": {**TWO, "confine": {"picks": [{"by": "face", "index": 1}], "part": True}}}, {"do": "flood"}],
    "gradient": [{"do": "flood", "gradient": {"start": [0, -1, 1], "end": [0, 1, 1]}, "strength": 0.7}],
    "blend": [{"do": "flood"}, {"do": "paint", "paint": {**TWO, "blend": "screen"}}, {"do": "flood", "strength": 0.5}],
}


def begun(*steps: dict[str, object]) -> object:
    return script(
        {"do": "add-layer", "kind": "paint", "name": "Mud", "sheet": "Wood"},
        {"do": "target", "layer": "Mud", "channels": ["base_color"]},
        {"do": "paint", "paint": TWO},
        {"do": "brush", "brush": {"size": 0.2, "size_unit": "object"}},
        *steps,
    )


@pytest.mark.parametrize("tool", list(TOOLS))
def test_each_tool_replays_to_the_same_bytes_and_records_itself(studio: Studio, tool: str) -> None:
    one, two, three = crate(studio), crate(studio), crate(studio)
    played = [replay(s, begun(*TOOLS[tool])) for s in (one, two)]
    assert played[0].missed == 0
    assert pixels(one) == pixels(two)
    assert any(b != bytes(len(b)) for b in pixels(one).values())
    recorded = script_since(one, 0)
    replay(three, script(*recorded["steps"]))
    assert list(pixels(three).values()) == list(pixels(one).values())


@pytest.mark.parametrize("tool", ["row", "stamp", "filled", "gradient"])
def test_each_tool_is_painted_again_at_another_resolution(studio: Studio, tool: str) -> None:
    session = crate(studio, 256)
    replay(session, begun(*TOOLS[tool]))
    before = coverage(session)
    change_resolution(session, "wood", 512, quiet)
    assert coverage(session) == pytest.approx(before, rel=0.06)


def test_strokes_of_a_tool_that_is_gone_are_stretched(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    """As a plug-in's that is no longer installed: another resolution loses nothing of what it left."""
    session = crate(studio, 256)
    replay(session, begun(*TOOLS["smear"]))
    before = coverage(session)
    monkeypatch.setattr("ruvelt.studio.repaint.own_tools", lambda: ("soften",))
    monkeypatch.setattr("ruvelt.core.brush.hand_tools.own_tools", lambda: ("soften",))
    change_resolution(session, "wood", 512, quiet)
    assert coverage(session) == pytest.approx(before, rel=0.06)


def coverage(session: Session) -> float:
    """Share of the sheet's samples that the layer paints."""
    samples = session.samples(session.sheet("wood"))
    plane = next(p for name, p in session.store.planes.items() if name.endswith("/base_color"))
    total = sum(session.store.blobs.get(k)[-1].astype(float).sum() for k in plane.chunks.values())
    return float(total / 65535 / samples.covered_count)


def test_a_line_that_nobody_kept_is_dropped_and_a_stroke_is_stored(studio: Studio) -> None:
    clock = [0.0]
    session = crate(studio)
    desk = StrokeDesk(session, lambda: clock[0])
    target = Target(sheet="wood", layer="l2", channels=("base_color",))
    paint = Paint(values={"base_color": (1.0, 0.0, 0.0)})

    def begin() -> StrokeBegin:
        return StrokeBegin(revision=session.revision, target=target, brush=Brush(size=0.2, size_unit="object"), paint=paint)

    line = {"kind": "line", "sheet": [[20, 20], [120, 20]]}
    desk.handle(StrokeMessage.model_validate({"stroke": "a", "begin": begin().model_dump(), "shape": line}))
    clock[0] = 30.0
    desk.handle(StrokeMessage.model_validate({"stroke": "b", "begin": begin().model_dump(), "points": [{"x": 60, "y": 200}]}))
    assert session.store.head == 0
    clock[0] = 60.0
    with pytest.raises(Exception, match="changed in another window"):
        desk.handle(StrokeMessage.model_validate({"stroke": "c", "begin": begin().model_dump(), "points": [{"x": 60, "y": 200}]}))
    assert session.store.head == 1


def test_tools_on_masks_and_touch_ups(studio: Studio) -> None:
    """Tips, mixing and rows lay mask values as they lay colours."""
    session = crate(studio)
    replay(
        session,
        script(
            {
                "do": "add-layer",
                "kind": "fill",
                "name": "Dust",
                "sheet": "Wood",
                "channels": {"base_color": {"value": [1, 1, 1]}},
                "mask": {"sources": [{"kind": "painted", "id": "m"}]},
            },
            {"do": "target", "layer": "Dust", "mask": True},
            {"do": "paint", "paint": {"mask_value": 1.0, "second_mask": 0.25}},
            {"do": "flood", "gradient": {"start": [-1, 0, 1], "end": [1, 0, 1]}},
        ),
    )
    sheet = session.sheet("wood")
    evaluator = session.display("wood").evaluator
    layer = next(x for x, _ in sheet.walk() if x.name == "Dust")
    samples = session.samples(sheet)
    on = np.flatnonzero(samples.covered & (samples.normals[:, 2] > 0.9))
    assert layer.mask is not None
    values = np.array([np.broadcast_to(evaluator.mask_chunk(layer.mask, layer.id, int(s) >> 16), 65536)[s & 65535] for s in on[::97]])
    x = samples.positions[on[::97], 0]
    assert_allclose(values / (65535 if values.max() > 1 else 1), 1 - 0.75 * (x + 1) / 2, atol=2e-3)


def test_a_shape_step_with_wrong_fields_is_told(studio: Studio) -> None:
    with pytest.raises(InputError, match="two points"):
        begun({"do": "stroke", "shape": {"kind": "stamp", "surface": [[0, 0, 1]]}})
    with pytest.raises(InputError, match="exactly one"):
        begun({"do": "stroke", "surface": ACROSS, "shape": {"kind": "line", "surface": ACROSS}})
    with pytest.raises(InputError, match="one 'pressure'"):
        begun({"do": "stroke", "shape": {"kind": "line", "surface": ACROSS}, "pressure": [0.5, 1.0]})
