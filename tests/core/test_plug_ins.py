"""The worked plug-in: installed as a person would, found, used, and kept by a project when it is gone."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from pathlib import Path
from typing import ClassVar, Literal

import pytest

from ruvelt.core.brush.target import Paint
from ruvelt.core.stack.document import AdjustLayer, ChannelUse, Document, FillLayer, PaintLayer, Sheet
from ruvelt.core.stack.kinds.found import _fits
from ruvelt.core.stack.kinds.step import Source
from ruvelt.core.stack.masks import Mask
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
