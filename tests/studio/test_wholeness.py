"""Whatever an edit says: it is refused in words, or it is stored, read back the same, and shown."""

from __future__ import annotations

import copy
import math
import sqlite3
from typing import Any

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from ruvelt.core.errors import InputError, NotFound, RuveltError
from ruvelt.core.output.display import TEXTURES
from ruvelt.core.stack.adjustments import ADJUSTMENTS
from ruvelt.core.stack.channels import STANDARD_CHANNELS
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.edits import EDIT, AddLayer, RemoveChannel, SetLayer
from ruvelt.core.stack.masks import SHAPERS, SOURCES
from ruvelt.studio.laying import flood
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio

NOISE = {"basis": "gradient", "size": 0.05, "stretch": [1, 1, 1], "seed": 3}
FILL = {
    "kind": "fill",
    "id": "f",
    "name": "Rust",
    "channels": {
        "base_color": {"value": [0.5, 0.2, 0.1], "content": {"kind": "blend", "first": [1, 0, 0], "second": [0, 0, 1], "noise": NOISE}},
        "roughness": {
            "value": [0.4],
            "content": {"kind": "pattern", "pattern": NOISE, "ramp": [{"at": 0, "value": [0]}, {"at": 1, "value": [1]}]},
        },
        "height": {"value": [-0.2], "strength": 0.5, "blend": "height-add"},
    },
    "mask": {"sources": [{"kind": "noise", "id": "n", **NOISE}, {"kind": "levels", "id": "v", "in_low": 0.2}]},
}
EDITS: list[dict[str, Any]] = [
    {"edit": "add-layer", "sheet": "wood", "layer": FILL, "index": 0},
    {"edit": "add-layer", "sheet": "wood", "layer": {"kind": "group", "id": "g", "name": "Wear", "layers": [FILL]}, "index": 1},
    {
        "edit": "add-layer",
        "sheet": "wood",
        "layer": {"kind": "adjust", "id": "a", "name": "Warm", "adjust": {"kind": "hsv", "hue": 20}, "channels": {"base_color": {}}},
    },
    {"edit": "set-layer", "sheet": "wood", "layer": "l1", "values": {"channels": {"base_color": {"value": [0.1, 0.2, 0.3]}}, "strength": 0.5}},
    {"edit": "set-layer", "sheet": "wood", "layer": "l2", "values": {"mask": {"sources": [{"kind": "painted", "id": "m"}]}, "blend": "multiply"}},
    {"edit": "move-layer", "sheet": "wood", "layer": "l1", "into": None, "index": 0},
    {"edit": "remove-layer", "sheet": "wood", "layer": "l2"},
    {"edit": "set-sheet", "sheet": "wood", "values": {"name": "Planks", "solo": "l1"}},
    {"edit": "set-sheet", "sheet": "wood", "values": {"resolution": 512}},
    {"edit": "set-settings", "values": {"swatches": [[0.1, 0.2, 0.3]], "blend_space": "linear", "height_range": 0.02}},
    {"edit": "set-seams", "seams": [[0, 1], [2, 3]]},
    {"edit": "set-face-sets", "face_sets": [{"id": "lid", "name": "Lid", "picks": [{"by": "part", "index": 1}]}]},
    {"edit": "add-channel", "channel": {"id": "wetness", "name": "Wetness", "kind": "data", "start": [0.0]}, "index": 2},
    {"edit": "add-channel", "channel": {"id": "tint", "name": "Tint", "kind": "colour", "start": [0, 0, 0]}},
    {"edit": "remove-channel", "channel": "emission"},
    {"edit": "set-high-meshes", "meshes": [{"key": "h", "name": "High", "triangles": 12}]},
    {"edit": "set-images", "images": [{"key": "i", "name": "Bark", "width": 4, "height": 4}]},
]
EDITS.append({"edit": "batch", "edits": [EDITS[0], EDITS[3], EDITS[12]]})
ODD: list[Any] = [
    math.nan,
    math.inf,
    -math.inf,
    -1,
    2,
    0,
    1e300,
    2**63,
    -(2**63),
    [],
    [0.5],
    [0.5] * 3,
    [0.5] * 4,
    [[]],
    {},
    None,
    True,
    "",
    "x",
    "nan",
]
ODD += ["wood", "l1", "height-add", "hue", "base_color", "a/b", "\0", "x" * 200]


def leaves(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Places of everything inside, lists and objects too."""
    inside = value.items() if isinstance(value, dict) else enumerate(value) if isinstance(value, list) else ()
    found = [path] if path else []
    for key, child in inside:
        found += leaves(child, (*path, key))
    return found


@st.composite
def odd_edits(draw: st.DrawFn) -> dict[str, Any]:
    edit = copy.deepcopy(draw(st.sampled_from(EDITS)))
    for _ in range(draw(st.integers(0, 2))):
        places = leaves(edit)
        path = draw(st.sampled_from(places))
        at = edit
        for key in path[:-1]:
            at = at[key]
        at[path[-1]] = copy.deepcopy(draw(st.sampled_from(ODD)))
    return edit


def shows(session: Session) -> None:
    for sheet in session.document.sheets:
        display = session.display(sheet.id)
        for texture in (*TEXTURES, *(f"channel:{c.id}" for c in session.document.channels)):
            display.tile(texture, 0)


@settings(max_examples=150, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(content=odd_edits())
def test_an_edit_is_refused_or_stored_read_back_and_shown(studio: Studio, cube: str, content: dict[str, Any]) -> None:
    studio.release(cube)
    with studio.lend(cube) as opened:
        session = opened.session
        before, head = session.document, session.store.head
        try:
            session.edit(EDIT.validate_python(content), "Odd")
        except (RuveltError, ValidationError):
            assert (session.document, session.store.head) == (before, head)
            return
        after = session.document
    assert studio.pool.close(cube)
    with studio.lend(cube) as opened:
        session = opened.session
        assert session.document == after
        shows(session)
        session.undo()
        assert session.document == before
        session.redo()
        assert session.document == after
        session.undo()


@pytest.mark.parametrize(
    ("content", "match"),
    [
        ({"edit": "set-settings", "values": {"swatches": [[math.nan, 0, 0]]}}, "swatches"),
        ({"edit": "set-layer", "sheet": "wood", "layer": "l1", "values": {"channels": {"base_color": {"value": [0.5]}}}}, "three numbers"),
        ({"edit": "set-layer", "sheet": "wood", "layer": "l1", "values": {"channels": {"roughness": {"value": [0.5, 1]}}}}, "one number"),
        ({"edit": "set-layer", "sheet": "wood", "layer": "l1", "values": {"channels": {"roughness": {"value": [-0.5]}}}}, "outside 0 to 1"),
        ({"edit": "add-channel", "channel": {"id": "tint", "name": "Tint", "kind": "colour", "start": [0]}}, "three numbers"),
        ({"edit": "remove-channel", "channel": "emission"}, "belongs to every project"),
        ({"edit": "set-sheet", "sheet": "wood", "values": {"plan": 7}}, "cannot be set"),
        ({"edit": "set-sheet", "sheet": "wood", "values": {"mesh_maps": []}}, "with its pixels"),
        ({"edit": "set-high-meshes", "meshes": []}, "by itself"),
    ],
)
def test_edits_that_could_not_be_shown_are_refused(studio: Studio, cube: str, content: dict[str, Any], match: str) -> None:
    session = studio.session(cube)
    with pytest.raises(InputError, match=match):
        session.edit(EDIT.validate_python(content), "Wrong")
    assert session.store.head == 0


def test_a_plan_that_the_model_does_not_have_is_refused(studio: Studio, cube: str) -> None:
    session = studio.session(cube)
    sheets = tuple(s.model_copy(update={"plan": 2}) for s in session.document.sheets[:1])
    wrong = session.document.model_copy(update={"sheets": sheets})
    from ruvelt.core.stack.wholeness import check_document

    with pytest.raises(InputError, match="but the model has 2"):
        check_document(wrong, 2)
    check_document(wrong, 3)


def test_every_registered_kind_is_a_whole_document(studio: Studio, cube: str) -> None:
    """First values of each kind pass the check that guards the store."""
    assert {c.id for c in STANDARD_CHANNELS} >= {part[0] for layout in TEXTURES.values() for part in layout if part and part[0] != "normal"}
    session = studio.session(cube)
    steps = [{"kind": k.kind_id(), "id": f"s{i}"} for i, k in enumerate((*SOURCES, *SHAPERS))][:30]
    session.edit(SetLayer(sheet="wood", layer="l1", values={"mask": {"sources": steps}}), "Everything")
    for i, kind in enumerate(ADJUSTMENTS):
        layer = {"kind": "adjust", "id": f"a{i}", "name": kind.label, "adjust": {"kind": kind.kind_id()}, "channels": {"base_color": {}}}
        session.edit(EDIT.validate_python({"edit": "add-layer", "sheet": "wood", "layer": layer}), "Adjust")
    shows(session)


def spoil(studio: Studio, uid: str, document: str) -> None:
    with sqlite3.connect(studio.data / "projects" / uid / "project.sqlite") as connection:
        connection.execute("UPDATE project SET document = ?", (document,))


def test_a_project_that_cannot_be_read_stays_listed_and_gives_its_last_good_state(studio: Studio, cube: str) -> None:
    with studio.lend(cube) as opened:
        session = opened.session
        session.edit(SetLayer(sheet="wood", layer="l1", values={"name": "Varnish"}), "Rename")
        good = session.document
    assert studio.pool.close(cube)
    spoil(studio, cube, good.model_dump_json().replace('"swatches":[[', '"swatches":[[NaN,'))
    (listed,) = studio.projects()
    assert (listed.uid, listed.name) == (cube, "Crate")
    assert "cannot be read" in str(listed.trouble)
    with pytest.raises(RuveltError, match="cannot be read"), studio.lend(cube):
        pass
    made = studio.recover(cube)
    assert {p.name: p.trouble is None for p in studio.projects()} == {"Crate": False, "Crate (recovered)": True}
    with studio.lend(made) as opened:
        assert opened.session.document == good
        assert [h.label for h in opened.session.store.history()] == ["Rename"]
        shows(opened.session)
        opened.session.undo()


def test_recovery_stops_before_the_step_that_cannot_be_read(studio: Studio, cube: str) -> None:
    from tests.studio.test_studio import RED, WOOD

    with studio.lend(cube) as opened:
        session = opened.session
        flood(session, WOOD, RED, None, 1.0)
        kept = dict(session.store.planes)
        session.edit(EDIT.validate_python(EDITS[0]), "Add rust")
        flood(session, WOOD, RED, None, 0.5)
    studio.pool.close(cube)
    with sqlite3.connect(studio.data / "projects" / cube / "project.sqlite") as connection:
        connection.execute("UPDATE history SET edit = replace(edit, '\"strength\":0.5', '\"strength\":5.5') WHERE seq = 2")
    spoil(studio, cube, "{}")
    with studio.lend(studio.recover(cube)) as opened:
        assert opened.session.store.head == 1
        assert dict(opened.session.store.planes) == kept
        shows(opened.session)


def test_a_named_version_serves_when_history_does_not(studio: Studio, cube: str) -> None:
    with studio.lend(cube) as opened:
        opened.session.store.add_version("Safe")
        safe = opened.session.document
    studio.pool.close(cube)
    spoil(studio, cube, "{}")
    with sqlite3.connect(studio.data / "projects" / cube / "project.sqlite") as connection:
        connection.execute("UPDATE good_state SET document = '{}'")
    with studio.lend(studio.recover(cube)) as opened:
        assert opened.session.document == safe
    with sqlite3.connect(studio.data / "projects" / cube / "project.sqlite") as connection:
        connection.execute("UPDATE version SET document = '{}'")
    with pytest.raises(InputError, match="Nothing in this project can be read"):
        studio.recover(cube)
    assert len(studio.projects()) == 2


def test_what_cannot_be_told_apart_in_text_is_refused(studio: Studio, cube: str) -> None:
    """A document that its own text does not give back would be lost at the next start."""
    session = studio.session(cube)
    layer = session.document.sheets[0].layers[0].model_copy(update={"id": "new", "strength": math.nan})
    with pytest.raises(InputError, match="could not be stored"):
        session.store.commit("Add", edit=AddLayer.model_construct(edit="add-layer", sheet="wood", layer=layer, into=None, index=0))
    with pytest.raises(NotFound):
        session.edit(RemoveChannel(channel="wetness"), "Remove")
    assert isinstance(session.document, Document)
    assert session.store.head == 0
