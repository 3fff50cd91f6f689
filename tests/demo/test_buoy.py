"""The buoy: a clean mesh, and shading that its script lays whole, the same each time."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from ruvelt.core.brush.script import parse_script
from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.demo import buoy
from ruvelt.demo.build import build_buoy
from ruvelt.demo.paint_buoy import PARTS, buoy_script
from ruvelt.studio.replay import replay
from ruvelt.studio.studio import Studio


@pytest.fixture(scope="module")
def model() -> Model:
    return read_mesh(buoy.obj(), "mooring_buoy.obj", {"mooring_buoy.mtl": buoy.MTL.encode()})


def test_one_sheet_named_parts_and_nothing_wrong(model: Model) -> None:
    assert model.parts == PARTS
    assert [p.name for p in plan_sheets(model)] == ["Hull"]
    assert 4_000 <= len(model.triangles) <= 12_000
    assert find_problems(model, plan_sheets(model)) == []


def test_faces_look_outward(model: Model) -> None:
    directions = np.random.default_rng(3).normal(size=(600, 3))
    directions /= np.linalg.norm(directions, axis=1, keepdims=True)
    hits = RayCaster(model).cast(np.array([0.0, 0.7, 0.0]) - 5 * directions + np.random.default_rng(4).normal(0, 0.3, (600, 3)), directions)
    met = hits.triangle >= 0
    assert met.sum() > 250
    assert np.mean((hits.normal[met] * directions[met]).sum(axis=1) < 0) > 0.99


def test_the_script_uses_every_kind_of_hand_tool() -> None:
    steps = parse_script(buoy_script()).steps
    paints = [s.paint for s in steps if s.do == "paint"]
    brushes = [s.brush for s in steps if s.do == "brush"]
    assert {"paint", "smear", "soften"} <= {p.tool for p in paints}
    assert any(p.confine.relief < 0 for p in paints)
    assert any(p.confine.raised > 0 for p in paints)
    assert {"sponge", "rivet", "chalk"} <= {t for b in brushes for t in b.tips}
    assert {b.build for b in brushes} >= {"flow", "level"}
    assert any(s.do == "flood" and s.gradient is not None for s in steps)
    assert any(s.do == "stroke" and s.shape is not None and s.shape.row is not None for s in steps)


def test_it_builds_whole_with_rivets_in_height(studio: Studio) -> None:
    told: list[str] = []
    uid = build_buoy(studio, 512, lambda done, planned, text: told.append(text))
    assert not any("missed" in text for text in told)
    session = studio.session(uid)
    display = session.display("hull")
    samples = display.samples
    height = np.concatenate([display.evaluator.composite("height", c)[0] for c in range(samples.chunk_count)]).astype(float) / 32767.5 - 1
    # On the row of 72 rivets the relief goes up and down 72 times around.
    p = samples.positions
    ring = samples.covered & (np.abs(p[:, 1] - 0.63) < 0.004) & (np.hypot(p[:, 0], p[:, 2]) > buoy.RADIUS - 0.01)
    angle = np.arctan2(p[ring, 0], p[ring, 2])
    place = np.floor((angle + np.pi) / (2 * np.pi) * 576).astype(int)
    count = np.bincount(place, minlength=576)[:576]
    bins = np.bincount(place, height[ring], minlength=576)[:576] / np.maximum(count, 1)
    assert bins.max() > 0.15
    spectrum = np.abs(np.fft.rfft(bins - bins.mean()))
    assert int(spectrum.argmax()) == 72


def test_the_script_of_each_hand_tool_plays_on_the_buoy(studio: Studio) -> None:
    scripts = sorted((Path(__file__).parents[2] / "docs" / "developers" / "scripts").glob("*.json"))
    assert len(scripts) == 12
    uid = studio.create(buoy.obj(), "buoy.obj", resolution=256, companions={"mooring_buoy.mtl": buoy.MTL.encode()})
    session = studio.session(uid)
    for script in scripts:
        head = session.store.head
        played = replay(session, parse_script(json.loads(script.read_text())))
        assert (script.stem, played.missed) == (script.stem, 0)
        assert session.store.head > head + 1
        while session.store.head > head:
            session.undo()
