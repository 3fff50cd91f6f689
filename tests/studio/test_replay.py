"""Replay and repaint: scripts as the simulated pen, history painted again at another resolution."""

from __future__ import annotations

import numpy as np
import pytest

from ruvelt.core.brush.script import parse_script
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.core.samples.sheet import SheetSamples
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.demo.build import build_demo
from ruvelt.studio.laying import flood
from ruvelt.studio.looking import unpainted
from ruvelt.studio.recording import script_since
from ruvelt.studio.repaint import change_resolution, set_normal_map
from ruvelt.studio.replay import replay
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from ruvelt.studio.versions import restore_version
from tests.meshes import CUBE_MTL, cube_obj


def quiet(done: int, planned: int, what: str) -> None:
    return None


def script(*steps: dict[str, object]) -> object:
    return parse_script({"format": "ruvelt-strokes", "version": 1, "steps": list(steps)})


ACROSS = [[x / 10, 0.1, 1.0] for x in range(-7, 8)]
STEPS: list[dict[str, object]] = [
    {"do": "add-layer", "kind": "paint", "name": "Mud", "sheet": "Wood", "ref": "mud"},
    {"do": "target", "layer": "mud", "channels": ["base_color", "height"]},
    {"do": "paint", "paint": {"values": {"base_color": [0.4, 0.3, 0.2], "height": [0.5]}}},
    {"do": "brush", "brush": {"size": 0.2, "size_unit": "object", "hardness": 0.4, "jitter_place": 0.3, "jitter_size": 0.5}},
    {"do": "stroke", "surface": ACROSS, "pressure": [abs(x) / 7 for x in range(-7, 8)]},
    {"do": "flood", "part": "Lower", "strength": 0.25},
    {
        "do": "add-layer",
        "kind": "fill",
        "name": "Varnish",
        "channels": {"roughness": {"value": [0.1]}, "height": {"value": [0.1]}},
        "mask": {"sources": [{"kind": "painted", "id": "m"}]},
    },
    {"do": "target", "layer": "Varnish", "mask": True},
    {"do": "stroke", "surface": [[0, 0, 1], [0.5, 0.5, 1]]},
    {"do": "stroke", "sheet": [[40, 220], [90, 230]], "texels_per_pixel": 0.5},
]


def pixels(session: Session) -> dict[str, bytes]:
    return {p: b"".join(session.store.blobs.get(k).tobytes() for _, k in sorted(plane.chunks.items())) for p, plane in session.store.planes.items()}


def crate(studio: Studio, resolution: int = 256) -> Session:
    return studio.session(studio.create(cube_obj(), "cube.obj", resolution=resolution, companions={"cube.mtl": CUBE_MTL}))


def test_the_same_script_gives_the_same_bytes(studio: Studio) -> None:
    one, two = crate(studio), crate(studio)
    result = replay(one, script(*STEPS))  # type: ignore[arg-type]
    replay(two, script(*STEPS))  # type: ignore[arg-type]
    assert pixels(one) == pixels(two)
    assert (result.steps, result.strokes, result.missed) == (10, 3, 0)
    assert one.store.head == 6
    varnish = one.sheet("wood").layers[0]
    assert varnish.name == "Varnish"
    assert varnish.channels["height"].blend == "height-add"
    assert isinstance(varnish.mask.sources[0], PaintedSource)  # type: ignore[union-attr]


def test_a_recording_replayed_gives_the_same_bytes(studio: Studio) -> None:
    one, two = crate(studio), crate(studio)
    replay(one, script(*STEPS))  # type: ignore[arg-type]
    replay(two, parse_script(script_since(one, 0)))
    assert pixels(one) == pixels(two)


def test_undo_in_a_script(studio: Studio) -> None:
    session = crate(studio)
    replay(session, script(*STEPS[:5]))  # type: ignore[arg-type]
    before = pixels(session)
    replay(
        session, script({"do": "target", "layer": "Mud"}, {"do": "paint", "paint": {"values": {"roughness": [1.0]}}}, {"do": "flood"}, {"do": "undo"})
    )  # type: ignore[arg-type]
    assert pixels(session) == before | {"wood/l3/roughness": b""}


@pytest.mark.parametrize(
    ("steps", "match"),
    [
        ([{"do": "flood"}], "Step 1 .flood.: The script paints before it has a target"),
        ([{"do": "target", "layer": "Gold"}], "no layer 'Gold'"),
        ([{"do": "target", "layer": "Paint", "sheet": "Lid"}], "no sheet 'Lid'"),
        ([{"do": "target", "layer": "Paint", "mask": True}], "no painted mask"),
        ([*STEPS[:3], {"do": "flood", "part": "Handle"}], "Step 4 .flood.: There is no part 'Handle'"),
        ([{"do": "add-layer", "kind": "paint", "name": "x", "into": "Paint"}], "not a group"),
        ([{"do": "add-layer", "kind": "fill", "name": "x", "channels": {"gold": {}}}], "no channel 'gold'"),
        ([{"do": "undo"}], "nothing left to undo"),
    ],
)
def test_steps_that_cannot_be_taken_are_named(studio: Studio, steps: list[dict[str, object]], match: str) -> None:
    with pytest.raises(InputError, match=match):
        replay(crate(studio), script(*steps))  # type: ignore[arg-type]


def test_strokes_beside_the_model_are_counted(studio: Studio) -> None:
    session = crate(studio)
    result = replay(session, script(*STEPS[:4], {"do": "stroke", "surface": [[50, 50, 50]]}))  # type: ignore[arg-type]
    assert (result.strokes, result.missed) == (1, 1)
    assert session.store.head == 1


def composite(session: Session, channel: str) -> tuple[np.ndarray, SheetSamples]:
    display = session.display("wood")
    parts = [display.evaluator.composite(channel, c)[0] for c in range(display.samples.chunk_count)]
    return np.concatenate(parts) / 65535, display.samples


def test_another_resolution_is_painted_again_not_stretched(studio: Studio) -> None:
    """What comes out at 1024 is what the same script paints on a project that always had 1024."""
    small, large = crate(studio, 256), crate(studio, 1024)
    steps = [s for s in STEPS if "sheet" not in s or s["do"] != "stroke"]
    replay(small, script(*steps))  # type: ignore[arg-type]
    replay(large, script(*steps))  # type: ignore[arg-type]
    change_resolution(small, "wood", 1024, quiet)
    assert small.sheet("wood").resolution == 1024
    for plane, content in pixels(large).items():
        if plane.startswith("wood/"):
            assert pixels(small)[plane] == content, plane
    small.undo()
    assert small.sheet("wood").resolution == 256
    again = crate(studio, 256)
    replay(again, script(*steps))  # type: ignore[arg-type]
    assert {k: v for k, v in pixels(small).items() if v} == pixels(again)


def test_strokes_on_the_flat_sheet_keep_their_place(studio: Studio) -> None:
    session = crate(studio, 256)
    replay(session, script(*STEPS))  # type: ignore[arg-type]
    before, old = composite(session, "roughness")
    change_resolution(session, "wood", 512, quiet)
    after, new = composite(session, "roughness")
    change_resolution(session, "wood", 256, quiet)
    back, _ = composite(session, "roughness")
    assert np.array_equal(back, before)
    at = new.grid.nearest(old.positions[old.covered].astype(float), 0.2)
    assert np.abs(after[at] - before[old.covered]).mean() < 0.01
    with pytest.raises(InputError, match="300 texels"):
        change_resolution(session, "wood", 300, quiet)


def test_versions_brought_back_survive_a_new_resolution(studio: Studio) -> None:
    session = crate(studio, 256)
    aim = Target(sheet="wood", layer="l2", channels=("base_color",))
    flood(session, aim, Paint(values={"base_color": (1.0, 0.0, 0.0)}), None, 1.0)
    version = session.store.add_version("Red")
    flood(session, aim, Paint(values={"base_color": (0.0, 1.0, 0.0)}), None, 1.0)
    restore_version(session, version.id)
    change_resolution(session, "wood", 512, quiet)
    red, samples = composite(session, "base_color")
    inner = samples.covered & (samples.slots_of_faces(np.ones(6, bool)))
    assert np.median(red[inner]) == pytest.approx(1.0, abs=1e-3)


def test_a_normal_map_comes_and_goes(studio: Studio) -> None:
    session = crate(studio, 256)
    image = np.zeros((128, 128, 4), np.uint16)
    image[...] = [45000, 32768, 60000, 65535]
    set_normal_map(session, "wood", image)
    assert session.sheet("wood").normal_map
    display = session.display("wood")
    assert display.normals(0)[0, 200 * 256 + 10] > 42000
    session.undo()
    assert session.display("wood").normals(0)[0, 200 * 256 + 10] == 32768
    session.redo()
    change_resolution(session, "wood", 512, quiet)
    assert session.display("wood").normals(2)[0, 200 * 256 + 10] > 42000
    set_normal_map(session, "wood", None)
    assert session.display("wood").normals(2)[0, 200 * 256 + 10] == 32768
    with pytest.raises(InputError, match="square"):
        set_normal_map(session, "wood", image[:64])


def test_the_demo_is_painted_by_its_scripts(studio: Studio) -> None:
    told: list[str] = []
    uid = build_demo(studio, 512, lambda done, planned, text: told.append(text))
    session = studio.session(uid)
    assert sum(1 for s in session.document.sheets for _ in s.walk()) >= 20
    assert session.findings == []
    assert 5_000 <= len(session.model.triangles) <= 15_000
    for sheet in session.document.sheets:
        assert unpainted(session, sheet.id, "base_color")[0] == 0
    missed = [int(t.split(", ")[1].split(" ")[0]) for t in told if "missed" in t]
    assert sum(missed) < 0.05 * 600
    assert (studio.data / "meshes" / "storm_lantern_high.obj").stat().st_size > 1_000_000
