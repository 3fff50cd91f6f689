"""Edits of the document: an edit and its inverse are the identity, whatever the edits."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import ValidationError

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import ChannelUse, Document, FillLayer, GroupLayer, PaintLayer, Sheet, new_channel_uses
from ruvelt.core.stack.edits import (
    EDIT,
    AddChannel,
    AddLayer,
    AnyEdit,
    Batch,
    MoveLayer,
    RemoveChannel,
    RemoveLayer,
    ReplaceDocument,
    SetLayer,
    SetSettings,
    SetSheet,
    apply_edit,
)
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.masks import Mask

DOCUMENT = Document(
    sheets=(
        Sheet(
            id="body",
            name="Body",
            plan=0,
            resolution=1024,
            layers=(
                PaintLayer(id="soot", name="Soot"),
                GroupLayer(id="enamel", name="Enamel", layers=(FillLayer(id="coat", name="Coat"), PaintLayer(id="chips", name="Chips"))),
                FillLayer(id="ground", name="Ground"),
            ),
        ),
    )
)


def ids(document: Document) -> list[str]:
    return [layer.id for layer, _ in document.sheets[0].walk()]


@st.composite
def edits(draw: st.DrawFn) -> AnyEdit:
    layer = st.sampled_from(["soot", "enamel", "coat", "chips", "ground", "n1", "n2", "gone"])
    into = st.sampled_from([None, "enamel", "soot", "n2"])
    index = st.integers(0, 4)
    match draw(st.integers(0, 8)):
        case 0:
            new = draw(
                st.sampled_from([PaintLayer(id="n1", name="New"), GroupLayer(id="n2", name="Group", layers=(PaintLayer(id="n3", name="In"),))])
            )
            return AddLayer(sheet="body", layer=new, into=draw(into), index=draw(index))
        case 1:
            return RemoveLayer(sheet="body", layer=draw(layer))
        case 2:
            return MoveLayer(sheet="body", layer=draw(layer), into=draw(into), index=draw(index))
        case 3:
            values = draw(
                st.sampled_from([{"name": "Other"}, {"strength": 0.25}, {"blend": "hue"}, {"visible": False, "locked": True}, {"strength": 7}])
            )
            return SetLayer(sheet="body", layer=draw(layer), values=values)
        case 4:
            return SetLayer(sheet="body", layer=draw(layer), values={"mask": Mask(sources=(PaintedSource(id="m"),)).model_dump()})
        case 5:
            return SetSheet(sheet=draw(st.sampled_from(["body", "lid"])), values={"resolution": 2048})
        case 6:
            return AddChannel(channel=Channel(id="wetness", name="Wetness", kind="data", start=(0.0,)))
        case 7:
            return RemoveChannel(channel=draw(st.sampled_from(["wetness", "emission"])))
        case _:
            return SetSettings(values={"height_range": draw(st.sampled_from([0.02, 0.05, 9.0]))})


@settings(max_examples=300, deadline=None)
@given(st.lists(edits(), min_size=1, max_size=8))
def test_undoing_everything_gives_the_same_document(steps: list[AnyEdit]) -> None:
    document, inverses = DOCUMENT, []
    for step in steps:
        try:
            after, inverse = apply_edit(document, step)
        except (InputError, NotFound):
            continue
        # Edits and inverses survive being stored.
        inverses.append(EDIT.validate_json(inverse.model_dump_json()))
        assert apply_edit(document, EDIT.validate_json(step.model_dump_json()))[0] == after
        document = after
    for inverse in reversed(inverses):
        document, _ = apply_edit(document, inverse)
    assert document == DOCUMENT
    assert len(set(ids(document))) == len(ids(document))


def test_layers_go_where_they_are_put() -> None:
    added, _ = apply_edit(DOCUMENT, AddLayer(sheet="body", layer=PaintLayer(id="n", name="N"), into="enamel", index=1))
    assert ids(added) == ["soot", "enamel", "coat", "n", "chips", "ground"]
    moved, _ = apply_edit(added, MoveLayer(sheet="body", layer="soot", into="enamel", index=0))
    assert ids(moved) == ["enamel", "soot", "coat", "n", "chips", "ground"]
    out, _ = apply_edit(moved, MoveLayer(sheet="body", layer="coat", into=None, index=2))
    assert ids(out) == ["enamel", "soot", "n", "chips", "ground", "coat"]


def test_a_batch_fails_whole() -> None:
    with pytest.raises(NotFound):
        apply_edit(DOCUMENT, Batch(edits=(RemoveLayer(sheet="body", layer="soot"), RemoveLayer(sheet="body", layer="gone"))))
    assert ids(DOCUMENT)[0] == "soot"


@pytest.mark.parametrize(
    ("edit", "error", "match"),
    [
        (MoveLayer(sheet="body", layer="enamel", into="enamel", index=0), InputError, "into itself"),
        (AddLayer(sheet="body", layer=PaintLayer(id="x", name="X"), into="soot"), InputError, "not a group"),
        (AddLayer(sheet="body", layer=PaintLayer(id="soot", name="X")), InputError, "there already"),
        (SetLayer(sheet="body", layer="soot", values={"kind": "fill"}), InputError, "kind cannot be set"),
        (SetLayer(sheet="body", layer="soot", values={}), InputError, "nothing cannot be set"),
        (RemoveLayer(sheet="lid", layer="soot"), NotFound, "no sheet 'lid'"),
        (AddChannel(channel=Channel(id="height", name="H", kind="data", start=(0.0,))), InputError, "already"),
        (AddChannel(channel=Channel(id="normal", name="N", kind="data", start=(0.0,))), InputError, "already"),
        (SetSettings(values={"height_range": 9.0}), InputError, "height_range"),
        (SetSheet(sheet="body", values={"layers": ()}), InputError, "layers cannot be set"),
    ],
)
def test_what_cannot_be(edit: AnyEdit, error: type[Exception], match: str) -> None:
    with pytest.raises(error, match=match):
        apply_edit(DOCUMENT, edit)


def test_groups_nest_only_so_deep() -> None:
    document, parent = DOCUMENT, None
    for depth in range(10):
        try:
            document, _ = apply_edit(document, AddLayer(sheet="body", layer=GroupLayer(id=f"g{depth}", name="G"), into=parent))
        except InputError as error:
            assert "nested" in str(error)
            assert depth == 5
            return
        parent = f"g{depth}"
    raise AssertionError("groups nested without end")


def test_a_whole_document_can_be_put_back() -> None:
    after, inverse = apply_edit(DOCUMENT, ReplaceDocument(document=Document(sheets=())))
    assert after.sheets == ()
    assert apply_edit(after, inverse)[0] == DOCUMENT


@pytest.mark.parametrize(
    "values",
    [{"strength": float("nan")}, {"strength": -0.1}, {"name": ""}, {"id": "../x"}, {"id": "A"}, {"extra": 1}, {"channels": {"c": {"value": (3.0,)}}}],
)
def test_the_document_refuses_nonsense(values: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        PaintLayer.model_validate({"id": "a", "name": "A", **values})


def test_new_layers_add_height_to_what_is_below() -> None:
    uses = new_channel_uses(DOCUMENT.channels)
    assert uses["height"] == ChannelUse(blend="height-add")
    assert uses["base_color"].blend is None
