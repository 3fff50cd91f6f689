"""Masks of an open project: pictures kept, copies, trials that are not taken, small looks, scripts, and strokes that reach further."""

from __future__ import annotations

import base64

import cv2
import numpy as np
import pytest
from numpy.testing import assert_array_equal

from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.brush.script import parse_script
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.stack.camera import Camera
from ruvelt.core.stack.edits import SetLayer, SetSheet
from ruvelt.core.stack.kinds.sources.layer import LayerSource
from ruvelt.core.stack.masks import Mask
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.copying import duplicate_layer
from ruvelt.studio.laying import flood
from ruvelt.studio.looking import seen_chunks
from ruvelt.studio.masks import add_image, copy_mask, mask_pictures, waiting
from ruvelt.studio.recording import script_since
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.strokes import StrokeDesk, StrokeMessage
from ruvelt.studio.studio import Studio
from ruvelt.studio.trial import trial
from tests.studio.test_studio import begin, points

WORN = [
    {"kind": "curvature", "id": "edge", "which": "edges"},
    {"kind": "noise", "id": "grain", "combine": "multiply", "size": 0.2},
    {"kind": "levels", "id": "lv", "in_high": 0.6},
    {"kind": "blur", "id": "soft", "radius": 0.004},
    {"kind": "painted", "id": "hand", "combine": "add"},
]


def set_mask(layer: str, steps: list[dict[str, object]] | None) -> SetLayer:
    return SetLayer(sheet="wood", layer=layer, values={"mask": None if steps is None else {"sources": steps}})


def composite(session: Session, channel: str = "roughness") -> np.ndarray:
    display = session.display("wood")
    return np.concatenate([display.evaluator.composite(channel, c) for c in range(display.samples.chunk_count)], axis=1)


def bake(studio: Studio, uid: str, *maps: str) -> None:
    studio.bakery(uid).bake(BakeRequest(maps=maps, settings=BakeSettings(rays=4)))


def test_a_picture_is_kept_once_survives_a_restart_and_goes_with_undo(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    image = np.random.default_rng(1).integers(0, 65536, (32, 48, 4), np.uint16)
    key = add_image(session, image, "Bark")
    assert add_image(session, image, "Bark again") == key
    assert [(i.key, i.name, i.width, i.height) for i in session.document.images] == [(key, "Bark", 48, 32)]
    steps = [{"kind": "image", "id": "p", "image": key}]
    session.edit(set_mask("l1", steps), "Picture mask")
    before = composite(session)
    studio.close()
    again = Studio(studio.data)
    session = again.session(cube)
    assert_array_equal(session.image(key), image)
    assert_array_equal(composite(session), before)
    session.undo()
    session.undo()
    assert session.image(key) is None
    session.edit(set_mask("l1", steps), "Picture mask")
    assert waiting(session, "wood") == {"l1": ["p"]}
    with pytest.raises(InputError, match="8192"):
        add_image(session, np.zeros((1, 8193, 4), np.uint16), "Wide")
    again.close()


def test_what_a_mask_waits_for_is_told_until_it_is_there(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    session.edit(set_mask("l1", WORN), "Worn")
    assert waiting(session, "wood") == {"l1": ["edge"]}
    bake(studio, cube, "curvature")
    assert waiting(session, "wood") == {}


def test_a_trial_shows_an_edit_and_takes_nothing(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    revision, before = session.revision, composite(session, "base_color")
    edit = set_mask("l1", [{"kind": "noise", "id": "n"}, {"kind": "blur", "id": "b", "radius": 0.01}])
    shown = trial(session, "wood", edit)
    tried = np.concatenate([shown.evaluator.composite("base_color", c) for c in range(shown.samples.chunk_count)], axis=1)
    assert session.revision == revision
    assert_array_equal(composite(session, "base_color"), before)
    session.edit(edit, "Noise")
    assert_array_equal(composite(session, "base_color"), tried)
    assert (tried != before).any()
    with pytest.raises(NotFound):
        trial(session, "wood", set_mask("gone", []))
    with pytest.raises(InputError, match="change with its pixels"):
        trial(session, "wood", SetSheet(sheet="wood", values={"resolution": 1024}))


def test_a_view_tells_which_chunks_it_shows(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    samples = session.display("wood").samples
    camera = Camera(eye=(0, 0, 6), target=(0, 0, 0), fov_deg=30, width=300, height=300)
    seen = seen_chunks(session, "wood", camera)
    front = np.unique(np.flatnonzero(samples.covered & (samples.normals[:, 2] > 0.9)) >> 16)
    assert set(seen) <= set(range(samples.chunk_count))
    assert set(front) & set(seen)
    assert seen_chunks(session, "wood", Camera(eye=(0, 0, 6), target=(0, 0, 12), width=300, height=300)) == []


def test_a_mask_is_copied_with_its_paint_and_the_copy_is_its_own(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    session.edit(set_mask("l1", WORN[1:]), "Worn")
    flood(session, Target(sheet="wood", layer="l1", mask="hand"), Paint(mask_value=0.75), None, 1.0)
    copy_mask(session, "wood", "l1", "l2", session.revision)
    evaluator = session.display("wood").evaluator
    masks = {x.id: x.mask for x, _ in evaluator.sheet.walk()}
    assert masks["l1"] == masks["l2"]
    one, two = (evaluator.mask_chunk(masks[x], x, 0) for x in ("l1", "l2"))
    assert_array_equal(one, two)
    flood(session, Target(sheet="wood", layer="l2", mask="hand"), Paint(mask_value=0.0), None, 1.0)
    evaluator = session.display("wood").evaluator
    assert_array_equal(evaluator.mask_chunk(masks["l1"], "l1", 0), one)
    assert np.any(evaluator.mask_chunk(masks["l2"], "l2", 0) != two)
    session.undo()
    session.undo()
    assert session.sheet("wood").find("l2").mask is None  # type: ignore[union-attr]
    with pytest.raises(InputError, match="no mask"):
        copy_mask(session, "wood", "l2", "l1")
    with pytest.raises(Conflict):
        copy_mask(session, "wood", "l1", "l2", session.revision - 1)


def grey(url: str) -> np.ndarray:
    data = np.frombuffer(base64.b64decode(url.split(",")[1]), np.uint8)
    return cv2.imdecode(data, cv2.IMREAD_GRAYSCALE)


def test_small_looks_show_the_mask_and_each_source_alone(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    ramp = {"kind": "gradient", "id": "up"}
    session.edit(set_mask("l1", [ramp, {"kind": "noise", "id": "n", "combine": "multiply"}, {"kind": "invert", "id": "i"}]), "Mask")
    looks = mask_pictures(session, "wood", "l1")
    assert set(looks) == {"", "up", "n"}
    tried = mask_pictures(session, "wood", "l1", set_mask("l1", [ramp, {"kind": "invert", "id": "i"}]))
    assert set(tried) == {"", "up"}
    assert tried["up"] == looks["up"]
    up, inverted = grey(tried["up"]).astype(int), grey(tried[""]).astype(int)
    covered = np.abs(up + inverted - 255) <= 2
    assert covered.mean() > 0.2
    assert session.revision == session.store.revision
    assert mask_pictures(session, "wood", "l2") == {}


def test_a_duplicated_group_reads_its_own_copies(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    script = {
        "format": "ruvelt-strokes",
        "version": 1,
        "steps": [
            {"do": "add-layer", "kind": "group", "name": "Worn", "ref": "g"},
            {"do": "add-layer", "kind": "fill", "name": "Base", "ref": "b", "into": "g", "mask": {"sources": [{"kind": "noise", "id": "n"}]}},
            {"do": "add-layer", "kind": "fill", "name": "Reader", "into": "g", "mask": {"sources": [{"kind": "layer", "id": "r", "layer": "b"}]}},
        ],
    }
    replay(session, parse_script(script))
    group = next(x for x, _ in session.sheet("wood").walk() if x.name == "Worn")
    copy = duplicate_layer(session, "wood", group.id)
    inside = {x.name: x for x, above in session.sheet("wood").walk() if copy in above}
    step = inside["Reader"].mask.sources[0]  # type: ignore[union-attr]
    assert isinstance(step, LayerSource)
    assert step.layer == inside["Base"].id


def test_a_script_makes_the_same_mask_and_the_record_gives_it_back(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    bake(studio, cube, "curvature")
    head = session.store.head
    steps = [
        {"do": "add-layer", "kind": "fill", "name": "Worn", "sheet": "Wood", "ref": "w", "channels": {"roughness": {"value": [1.0]}}},
        {"do": "mask", "layer": "w", "mask": {"sources": WORN}},
        {
            "do": "add-layer",
            "kind": "adjust",
            "name": "Warmer",
            "sheet": "Wood",
            "adjust": {"kind": "hsv", "hue": 20},
            "channels": {"base_color": {}},
        },
        {"do": "target", "layer": "w", "mask": True},
        {"do": "stroke", "surface": [[0.0, 0.0, 1.0], [0.3, 0.0, 1.0]]},
    ]
    replay(session, parse_script({"format": "ruvelt-strokes", "version": 1, "steps": steps}))
    layer = next(x for x, _ in session.sheet("wood").walk() if x.name == "Worn")
    assert layer.mask == Mask.model_validate({"sources": WORN})
    made = composite(session)
    recorded = script_since(session, head)
    assert [s["do"] for s in recorded["steps"]][:3] == ["add-layer", "mask", "add-layer"]
    for _ in range(4):
        session.undo()
    assert (composite(session) != made).any()
    replay(session, parse_script(recorded))
    assert_array_equal(composite(session), made)
    with pytest.raises(InputError, match="adjust"):
        parse_script({"format": "ruvelt-strokes", "version": 1, "steps": [{"do": "add-layer", "kind": "adjust", "name": "x"}]})


def test_a_stroke_that_reaches_further_leaves_the_client_to_ask_again(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    desk = StrokeDesk(session)

    def paint_mask(stroke: str) -> list[tuple[str, int, int]]:
        first = begin(session, target=Target(sheet="wood", layer="l1", mask="hand"), brush=Brush(size=0.3, size_unit="object"))
        answer = desk.handle(StrokeMessage(stroke=stroke, begin=first, points=points((150, 100), (160, 100)), end=True))
        assert answer.stored
        return answer.versions

    session.edit(set_mask("l1", [WORN[4]]), "Painted")
    assert paint_mask("near")
    session.edit(set_mask("l1", [WORN[4], WORN[3]]), "Painted and blurred")
    assert paint_mask("far") == []
    # What a fresh reading shows is the blurred mask, not what was shown under the brush.
    fresh = composite(session)
    studio.close()
    again = Studio(studio.data)
    assert_array_equal(composite(again.session(cube)), fresh)
    again.close()
