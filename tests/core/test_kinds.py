"""Every kind there is: each source under each shaper, versions, extremes, what they say of themselves, and their pages."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from numpy.testing import assert_array_equal
from pydantic import ValidationError

from ruvelt.core.bake.mesh_map import baked_maps
from ruvelt.core.brush.hand_tools import hand_tools
from ruvelt.core.inspect.findings import checks
from ruvelt.core.output.asset import asset_writers
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.output.writer import writers
from ruvelt.core.review.registry import map_checks
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.adjustments import ADJUSTMENTS
from ruvelt.core.stack.blend import modes
from ruvelt.core.stack.contents import CONTENTS
from ruvelt.core.stack.document import Settings
from ruvelt.core.stack.mask_evaluate import WHOLE
from ruvelt.core.stack.masks import SHAPERS, SOURCES, Mask
from ruvelt.core.stack.plane_ids import base_plane_id, mask_plane_id, plane_id
from tests.core.scene import Scene, fill_layer, paint_layer
from tests.core.test_masks import baked
from tests.meshes import globe

DOCS = Path(__file__).parents[2] / "docs" / "artists"
#: What the first values of a kind leave open.
GIVEN: dict[str, dict[str, object]] = {
    "faces": {"picks": [{"by": "part", "index": 0}]},
    "id_colour": {"colours": [(0.5, 0.5, 0.5)], "tolerance": 0.05},
    "colour_range": {"colours": [(0.7, 0.3, 0.2)], "tolerance": 0.2, "softness": 0.2},
    "layer": {"layer": "other", "part": "base_color", "measure": "value"},
}
#: Read where pictures of a project are; evaluation of documents without has none.
WITHOUT_PICTURES = [k.kind_id() for k in SOURCES if k.kind_id() != "image"]


def scene() -> Scene:
    made = Scene(globe(16, 8), (paint_layer(), paint_layer("other"), fill_layer("under", {"base_color": (0.7, 0.3, 0.2)})), settings=Settings())
    random = np.random.default_rng(5)
    count = made.samples.slot_count
    for map_id, components in (("id", 3), ("curvature", 1), ("occlusion", 1), ("thickness", 1)):
        baked(made, map_id, random.integers(20000, 50000, (components, count), np.uint16))
    made.put_plane(mask_plane_id("s", "p", "m"), random.integers(0, 65536, (2, count), np.uint16))
    made.put_plane(plane_id("s", "other", "base_color"), random.integers(0, 65536, (4, count), np.uint16))
    return made


SHARED = scene()


def step(kind: str, **more: object) -> dict[str, object]:
    return {"kind": kind, "id": "m", **GIVEN.get(kind, {}), **more}


def whole(of: Mask, made: Scene = SHARED) -> np.ndarray:
    out = np.empty(CHUNK, np.uint16)
    evaluator = made.evaluator
    evaluator.masks.run(of, "p", 0, WHOLE, {}, out)
    return out


def versions(of: Mask, made: Scene) -> object:
    evaluator = made.evaluator
    return evaluator.masks.inputs(of, "p", 0)


@pytest.mark.parametrize("source", WITHOUT_PICTURES)
@pytest.mark.parametrize("shaper", [k.kind_id() for k in SHAPERS])
def test_a_part_is_the_whole_there(source: str, shaper: str) -> None:
    of = Mask.model_validate({"sources": [step(source), {"kind": shaper, "id": "over"}]})
    made, evaluator = whole(of), SHARED.evaluator
    assert len(evaluator.masks.active(of)) == 2
    parts = np.zeros(CHUNK, np.uint16)
    starts, counts = np.array([256, 4096, 40000, 65000], np.int32), np.array([256, 1000, 31, 536], np.int32)
    evaluator.masks.run(of, "p", 0, (starts, counts), {}, parts)
    for s, n in zip(starts, counts, strict=True):
        assert_array_equal(parts[s : s + n], made[s : s + n])


def new_map(made: Scene, map_id: str) -> None:
    count = 3 if map_id == "id" else 1
    made.put_plane(base_plane_id("s", map_id), np.full((count + 1, made.samples.slot_count), 30000, np.uint16))


def repaint(made: Scene, plane: str, count: int) -> None:
    made.put_plane(plane, np.full((count, made.samples.slot_count), 30000, np.uint16))


CHANGES: dict[str, Callable[[Scene], None]] = {
    "painted": lambda s: repaint(s, mask_plane_id("s", "p", "m"), 2),
    "id_colour": lambda s: new_map(s, "id"),
    "curvature": lambda s: new_map(s, "curvature"),
    "occlusion": lambda s: new_map(s, "occlusion"),
    "thickness": lambda s: new_map(s, "thickness"),
    "layer": lambda s: repaint(s, plane_id("s", "other", "base_color"), 4),
    "colour_range": lambda s: repaint(s, plane_id("s", "other", "base_color"), 4),
}


@pytest.mark.parametrize("kind", WITHOUT_PICTURES)
def test_a_version_changes_when_an_input_does_and_never_else(kind: str) -> None:
    of = Mask.model_validate({"sources": [step(kind)]})
    for name, change in CHANGES.items():
        made = scene()
        before, values = versions(of, made), whole(of, made)
        assert versions(of, made) == before
        change(made)
        own = CHANGES.get(kind) in (change,) or (kind in ("layer", "colour_range") and name in ("layer", "colour_range"))
        assert (versions(of, made) != before) == own, name
        assert (whole(of, made) != values).any() == own, name


def numbers(model: Any) -> list[str]:
    made = model(**({} if model in ADJUSTMENTS else {"id": "m"}))
    return [name for name in model.model_fields if isinstance(getattr(made, name), float)]


@pytest.mark.parametrize("model", [*SOURCES, *SHAPERS, *ADJUSTMENTS], ids=lambda k: f"{k.group}-{k.kind_id()}")
def test_no_number_of_a_kind_may_be_none_and_ends_are_whole(model: Any) -> None:
    first = model(**({} if model in ADJUSTMENTS else {"id": "m"}))
    for name in numbers(model):
        for bad in (float("nan"), float("inf"), -float("inf"), 1e300):
            with pytest.raises(ValidationError):
                model.model_validate({**first.model_dump(), name: bad})
    for control in model.controls:
        if control.kind in ("share", "signed", "length", "degrees", "gamma") and model not in ADJUSTMENTS and model.kind_id() != "image":
            for end in (control.low, control.high):
                of = Mask.model_validate({"sources": [step("noise"), {**step(model.kind_id(), id="over"), control.id: end}]})
                assert whole(of).dtype == np.uint16


@pytest.mark.parametrize("kind", [*SOURCES, *SHAPERS, *CONTENTS, *ADJUSTMENTS], ids=lambda k: f"{k.group}-{k.kind_id()}")
def test_it_says_what_it_is(kind: Any) -> None:
    told = kind.described()
    assert told.name[0].isupper()
    assert len(told.hint) > 8
    assert kind.__doc__
    assert len({c.id for c in told.controls}) == len(told.controls)
    assert all(c.name and c.hint for c in told.controls)


@pytest.mark.parametrize("kind", [*SOURCES, *SHAPERS], ids=lambda k: k.kind_id())
def test_it_has_a_page_and_a_picture(kind: Any) -> None:
    name = kind.kind_id().replace("_", "-")
    assert (DOCS / "masks" / f"{name}.md").stat().st_size > 100
    assert (DOCS / "masks" / f"{name}.png").stat().st_size > 1000


def test_tools_have_names_keys_and_pages_of_their_own() -> None:
    tools = hand_tools()
    assert list(tools) == ["brush", "line", "stamp", "erase", "soften", "smear", "clone", "tone", "fill", "pick"]
    assert len({t.key for t in tools.values()}) == len(tools)
    for tool in tools.values():
        assert tool.label
        assert tool.hint
        assert tool.verb
        page = {"line": "lines", "pick": "README"}.get(tool.id, tool.id)
        assert tool.label in (DOCS / "tools" / f"{page}.md").read_text()


def test_modes_maps_and_checks_are_in_the_artists_pages() -> None:
    page = (DOCS / "blend-modes.md").read_text()
    assert all(mode.label in page for mode in modes().values())
    for kind in baked_maps().values():
        name = kind.id.replace("_", "-")
        assert len(kind.hint) > 8
        assert (DOCS / "maps" / f"{name}.md").stat().st_size > 100
        assert (DOCS / "maps" / f"{name}.png").stat().st_size > 1000
    page = (DOCS / "model.md").read_text()
    assert [c.id for c in checks() if c.label not in page] == []
    page = (DOCS / "export.md").read_text()
    assert all(w.label in page for w in writers().values())
    assert all(w.label.split(",")[0].split()[0] in page for w in asset_writers().values())
    assert all(p.name in page for p in BUILT_IN)
    page = (DOCS / "check.md").read_text()
    assert [c.id for c in map_checks() if c.label not in page] == []
