"""The worked plug-in: installed as a person would, found, used, and kept by a project when it is gone."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import ClassVar, Literal

import numpy as np
import pytest

from ruvelt.core.bake.mesh_map import baked_map
from ruvelt.core.brush.target import Paint
from ruvelt.core.errors import InputError
from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.output import writer
from ruvelt.core.output.writer import MapWriter
from ruvelt.core.stack import blend, mesh_maps
from ruvelt.core.stack.blend import loop_of, modes
from ruvelt.core.stack.document import AdjustLayer, ChannelUse, Document, FillLayer, MeshMap, PaintLayer, Sheet
from ruvelt.core.stack.edits import Batch, SetLayer, apply_edit, check_modes
from ruvelt.core.stack.kinds.blend_mode import BlendMode
from ruvelt.core.stack.kinds.found import _fits
from ruvelt.core.stack.kinds.step import Source
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.mesh_map import MeshMapKind
from ruvelt.core.stack.mesh_maps import in_order, map_channel, map_name
from ruvelt.core.stack.wholeness import check_document
from tests.core.scene import Scene, fill_layer, paint_layer
from tests.meshes import square

USED = """
import json, sys
import numpy as np
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.masks import SHAPERS, SOURCES, Mask
from ruvelt.web.masking import stack_registry
from tests.core.scene import Scene, fill_layer, paint_layer
from tests.meshes import globe

shown = stack_registry()
names = {k.id: k.name for k in (*shown.sources, *shown.shapers, *shown.contents, *shown.adjustments)}
assert [names[k] for k in ("moss", "fold", "bands", "solarise")] == ["Moss", "Fold", "Bands", "Solarise"]
assert [c.id for c in next(k for k in shown.sources if k.id == "moss").controls] == ["steepness", "patches"]

document = Document.from_stored(sys.stdin.read())
scene = Scene(globe(), document.sheets[0].layers)
moss = scene.evaluator.mask_chunk(scene.document.sheets[0].layers[1].mask, "f", 0) / 65535
up = scene.samples.normals[:, 1]
assert moss[scene.samples.covered & (up < 0.2)].max() == 0
assert 0.3 < (moss[scene.samples.covered & (up > 0.95)] > 0.5).mean() < 0.9
# Red of .8 under moss is turned round by the adjustment over it.
over = scene.at(0, -1, 0)
assert abs(scene.evaluator.composite("base_color", 0)[0, over] / 65535 - 0.2) < 1e-3
height = scene.samples.positions[scene.samples.covered, 1]
bands = scene.evaluator.composite("roughness", 0)[0][scene.samples.covered] / 65535
assert abs(bands[(height > -0.99) & (height < -0.76)] - 0.2).max() < 1e-4
assert abs(bands[(height > -0.74) & (height < -0.51)] - 0.8).max() < 1e-4

from ruvelt.core.brush.hand_tools import hand_tools
from ruvelt.core.brush.path import Point, SurfacePath
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.target import Paint
from tests.core.scene import target, whole
from tests.meshes import square
assert hand_tools()["bleach"].described().controls[0].id == "amount"
plate = Scene(square(), (paint_layer(), fill_layer("u", {"base_color": (0.2, 0.4, 0.6), "roughness": (0.3,)})))
brush = Brush(size=0.4, size_unit="object", hardness=1.0, flow=1.0)
stroke = plate.live(target("base_color", "roughness"), Paint(tool="bleach", settings={"amount": 0.25}), brush=brush)
stroke.dabs(whole(SurfacePath(brush, plate.samples), [Point((0, 0, 0))]))
plate.keep(stroke)
assert np.abs(plate.value("base_color", 0, 0, 0) / 65535 - [0.4, 0.55, 0.7]).max() < 1e-4
assert abs(plate.value("roughness", 0, 0, 0)[0] / 65535 - 0.475) < 1e-4
assert np.abs(plate.value("base_color", 0.9, 0.9, 0) / 65535 - [0.2, 0.4, 0.6]).max() < 1e-4

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.readers import READERS, read_mesh
assert {".obj", ".glb", ".gltf", ".ply", ".stl", ".points"} == set(READERS)
made = read_mesh(b"p 0 0 0\\np 1 0 0\\np 0 1 0\\nt 0 1 2\\n", "sail.points")
assert (made.face_count, made.name) == (1, "sail")
for broken in (b"p 0 0", b"t 0 1 9", b"p a b c", b"\\xff"):
    try:
        read_mesh(broken, "sail.points")
    except InputError:
        continue
    raise AssertionError(broken)

from ruvelt.core.bake.baker import Baker
from ruvelt.core.bake.settings import BakeSettings
from ruvelt.core.bake.source import BakeSource
from ruvelt.core.inspect.findings import find_problems
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.output.writer import writers
from ruvelt.core.stack.blend import modes
from ruvelt.core.stack.mesh_maps import map_channel
from ruvelt.web.baking import registry

assert modes()["average"].label == "Average" and list(modes())[-1] == "average"
mixed = Scene(square(), (fill_layer("a", {"base_color": (0.9, 0.5, 0.1)}, blend="average"), fill_layer("b", {"base_color": (0.1, 0.5, 0.5)})))
assert np.abs(mixed.value("base_color", 0, 0, 0) / 65535 - [0.5, 0.5, 0.3]).max() < 1e-4
assert "steepness" in {m.id for m in registry().maps} and map_channel("map:steepness").components == 1
ball = scene.samples
made = {}
Baker(ball, BakeSource(ball.model), BakeSettings(), scene.workers).bake(["steepness"], arrived=lambda m, c, v: made.setdefault(c, v))
steep = np.concatenate([made[c][0] for c in sorted(made)])[ball.covered[: 65536 * len(made)]] / 65535
expected = np.sqrt(1 - np.clip(ball.normals[ball.covered][:, 1], -1, 1) ** 2)
assert np.abs(steep - expected).mean() < 0.02
ramp = np.linspace(0, 65535, 6).astype(np.uint16).reshape(2, 3)
assert writers()["netpbm"].encode(ramp, 16) == b"P5 3 2 65535\\n" + ramp.astype(">u2").tobytes()
assert [f.title for f in find_problems(globe(), plan_sheets(globe())) if f.kind == "below-ground"][0].endswith("faces below ground")
print(document.model_dump_json())
"""


def stored() -> str:
    """A project that uses each kind, as the plug-in's own machine stored it."""
    layers = (
        AdjustLayer(id="a", name="Turned", adjust={"kind": "unknown", "of": "solarise", "held": json.dumps({"kind": "solarise", "limit": 0.7})},
                    channels={"base_color": ChannelUse()}),
        fill_layer("f", {"base_color": (0.8, 0.1, 0.1)}, mask=Mask.model_validate({"sources": [
            {"kind": "unknown", "of": "moss", "id": "m", "held": json.dumps({"kind": "moss", "id": "m", "steepness": 0.8, "patches": 0.3})}]})),
        fill_layer("red", {"base_color": (0.8, 0.1, 0.1)}),
        FillLayer(id="r", name="Bands", channels={"roughness": ChannelUse(content={"kind": "unknown", "of": "bands", "held": '{"kind": "bands"}'})}),
    )  # fmt: skip
    return Document(sheets=(Sheet(id="s", name="S", plan=0, resolution=256, layers=layers),)).model_dump_json()


def test_it_is_installed_found_and_used(installed: Path) -> None:
    paths = os.pathsep.join([str(installed), str(Path(__file__).parents[2])])
    ran = subprocess.run([sys.executable, "-c", USED], input=stored(), env={**os.environ, "PYTHONPATH": paths}, capture_output=True, text=True)
    assert ran.returncode == 0, ran.stderr[-2000:]
    text = ran.stdout.strip().splitlines()[-1]
    # There it is itself again; here, without it, it is kept whole.
    assert '"kind":"moss"' in text
    here = Document.from_stored(text)
    (step,) = here.sheets[0].layers[1].mask.sources  # type: ignore[union-attr]
    assert (step.kind, step.of) == ("unknown", "moss")  # type: ignore[attr-defined]
    assert json.loads(step.held)["steepness"] == 0.8  # type: ignore[attr-defined]
    assert Document.from_stored(here.model_dump_json()) == here


def test_what_is_not_known_says_nothing_and_is_refused_in_edits() -> None:
    mask = Mask.model_validate({"sources": [{"kind": "unknown", "of": "moss", "id": "m"}]})
    under = fill_layer("u", {"base_color": (0.2, 0.4, 0.6)})
    adjusts = AdjustLayer.model_validate({"id": "a", "name": "A", "channels": {"base_color": {}}, "adjust": {"kind": "unknown", "of": "x"}})
    masked: PaintLayer = paint_layer(mask=mask)
    scene = Scene(square(), (adjusts, masked, under))
    assert scene.value("base_color", 0, 0, 0)[2] == round(0.6 * 65535)
    assert scene.evaluator.mask_chunk(mask, "p", 0) == 1.0
    for data in ({"kind": "moss", "id": "m"}, {"kind": 3, "id": "m"}, {"id": "m"}):
        with pytest.raises(ValueError, match="kind|tag"):
            Mask.model_validate({"sources": [data]})


def test_what_a_changed_plug_in_cannot_read_stays_as_it_was() -> None:
    """Held text that is damaged, of another version, or that names a step twice: the project opens, and nothing of it is lost."""
    for held in ("garbage", "[1, 2", '{"kind": "noise", "grain": 3}', "[" * 5000, '{"kind": "noise", "size": NaN}'):
        data = {"sources": [{"kind": "unknown", "of": "noise", "id": "m", "held": held}]}
        mask = Mask.model_validate(data, context={"stored": True})
        assert (mask.sources[0].kind, mask.sources[0].held) == ("unknown", held)  # type: ignore[attr-defined]
    twice = [{"kind": "unknown", "of": "noise", "id": i, "on": i == "a", "held": '{"kind": "noise", "id": "x", "size": 0.1}'} for i in ("a", "b")]
    mask = Mask.model_validate({"sources": twice})
    assert [(s.kind, s.id, s.on, s.size) for s in mask.sources] == [("noise", "a", True, 0.1), ("noise", "b", False, 0.1)]  # type: ignore[attr-defined]
    with pytest.raises(ValueError, match="held"):
        Mask.model_validate({"sources": [{"kind": "unknown", "of": "x", "id": "m", "held": "x" * 200_000}]})


def test_a_kind_that_cannot_be_listed_is_left_out() -> None:
    class Odd(Source):
        kind: Literal["odd"] = "odd"
        label: ClassVar[str] = "Odd"
        needed: float

    class Named(Source):
        kind: Literal["unknown"] = "unknown"
        label: ClassVar[str] = "Named"

    assert not _fits(Odd)
    assert not _fits(Named)


def test_a_tool_that_is_not_there_is_refused() -> None:
    with pytest.raises(ValueError, match="'bleach' is not a tool here; use one of paint, soften, smear, clone, tone"):
        Paint(tool="bleach")


def test_a_blend_mode_that_is_gone_is_kept_and_lays_as_normal_does() -> None:
    text = stored().replace('"blend":"normal"', '"blend":"average"')
    here = Document.from_stored(text)
    assert {layer.blend for layer in here.sheets[0].layers} == {"average"}
    assert Document.from_stored(here.model_dump_json()) == here
    top = fill_layer("a", {"base_color": (0.9, 0.5, 0.1)}).model_copy(update={"blend": "average"})
    scene = Scene(square(), (top, fill_layer("b", {"base_color": (0.1, 0.5, 0.5)})))
    assert np.abs(scene.value("base_color", 0, 0, 0) / 65535 - [0.9, 0.5, 0.1]).max() < 1e-4

    # Other fields of the layer can be set, it can be given up for another and that undone; nothing new can be given it.
    renamed, _ = apply_edit(here, SetLayer(sheet="s", layer="f", values={"name": "Renamed"}))
    assert renamed.sheets[0].layers[1].blend == "average"
    plain, back = apply_edit(renamed, SetLayer(sheet="s", layer="f", values={"blend": "normal"}))
    assert apply_edit(plain, back)[0] == renamed
    check_modes(here, SetLayer(sheet="s", layer="f", values={"blend": "average"}))
    check_modes(here, SetLayer(sheet="s", layer="f", values={"blend": ["average"], "channels": {"x": 3}}))
    for values in ({"blend": "glow"}, {"channels": {"base_color": {"blend": "glow"}}}):
        with pytest.raises(InputError, match="'glow' is not a blend mode"):
            check_modes(here, Batch(edits=(SetLayer(sheet="s", layer="f", values=values),)))
    with pytest.raises(ValueError, match="'average' is not a blend mode"):
        fill_layer("x", {}, blend="average")


def test_a_formula_that_cannot_be_compiled_lays_as_normal_does(monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture) -> None:
    class Broken(BlendMode):
        id: ClassVar[str] = "broken"
        label: ClassVar[str] = "Broken"

        @staticmethod
        def value(below: float, above: float) -> float:
            return json.loads(str(below))  # type: ignore[no-any-return]

    known = {**modes(), "broken": Broken}
    monkeypatch.setattr("ruvelt.core.stack.blend.modes", lambda: known)
    assert loop_of("broken") == loop_of("normal")
    assert loop_of("broken") == loop_of("normal")
    assert caplog.text.count("the formula of the blend mode 'broken' cannot be compiled") == 1


def test_a_mesh_map_that_is_gone_is_kept_with_its_pixels() -> None:
    """As it was stored: listed last, and neither baked nor shown."""
    gone = MeshMap(id="steepness", source="model")
    assert map_channel("map:steepness") is None
    assert map_name("steepness") == "steepness"
    entries = {"steepness": gone, "height": MeshMap(id="height", source="model"), "normal": MeshMap(id="normal", source="model")}
    assert [m.id for m in in_order(entries)] == ["normal", "height", "steepness"]
    document = Document(sheets=(Sheet(id="s", name="S", plan=0, resolution=256, mesh_maps=(gone,)),))
    check_document(document)
    assert Document.from_stored(document.model_dump_json()) == document
    with pytest.raises(InputError, match="no mesh map 'steepness'"):
        baked_map("steepness")


def test_maps_writers_and_modes_that_cannot_be_listed_are_left_out() -> None:
    class TwoParts(MeshMapKind):
        id: ClassVar[str] = "two"
        label: ClassVar[str] = "Two"
        components: ClassVar[int] = 2
        start: ClassVar[tuple[float, ...]] = (0.0, 0.0)

    class NoSuffix(MapWriter):
        id: ClassVar[str] = "bare"
        label: ClassVar[str] = "Bare"

    class NoFormula(BlendMode):
        id: ClassVar[str] = "empty"
        label: ClassVar[str] = "Empty"

    assert not mesh_maps._fits(TwoParts)
    assert not writer._fits(NoSuffix)
    assert not blend._fits(NoFormula)


def test_a_check_of_a_plug_in_that_fails_finds_nothing(monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture) -> None:
    class Failing(Check):
        id: ClassVar[str] = "failing"

        def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
            raise ZeroDivisionError

    monkeypatch.setattr("ruvelt.core.inspect.findings.checks", lambda: (Failing(),))
    assert find_problems(square(), []) == []
    assert "the check 'failing' failed" in caplog.text
