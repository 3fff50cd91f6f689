"""Variants: what they say otherwise shows and nothing else, edits go where they are meant to, and every edit can be taken back."""

from __future__ import annotations

import random
from typing import Any

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core import Canvas
from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.stack.document import ChannelUse, Document, FillLayer, GroupLayer, Settings, Sheet, SwatchRole
from ruvelt.core.stack.edits import (
    AddLayer,
    AnyEdit,
    Batch,
    MoveLayer,
    RemoveLayer,
    SetLayer,
    SetRoleColour,
    SetRoles,
    SetSettings,
    SetVariants,
    ShowVariant,
    apply_edit,
    for_showing,
)
from ruvelt.core.stack.variant import Variant
from ruvelt.core.stack.variants import base_of, shown_as, variant_of, waiting
from tests.core.scene import fill_layer, paint_layer
from tests.meshes import square

RED, BLUE, SAND = (0.8, 0.1, 0.1), (0.1, 0.2, 0.8), (0.8, 0.7, 0.5)


def document() -> Document:
    layers = (
        fill_layer("a", {"base_color": RED, "roughness": (0.3,)}),
        GroupLayer(id="g", name="g", layers=(fill_layer("b", {"base_color": BLUE}, strength=0.5), paint_layer("p"))),
        FillLayer(id="hull", name="hull", channels={"base_color": ChannelUse(value=RED, role="hull")}),
    )
    settings = Settings(roles=(SwatchRole(id="hull", name="Hull", colour=SAND),))
    variants = (Variant(id="v", name="V"), Variant(id="w", name="W"))
    return Document(sheets=(Sheet(id="s", name="S", resolution=256, layers=layers),), settings=settings, variants=variants)


def done(doc: Document, edit: AnyEdit) -> Document:
    return apply_edit(doc, for_showing(doc, edit))[0]


def layer(doc: Document, layer_id: str) -> Any:
    found = doc.sheets[0].find(layer_id)
    assert found is not None
    return found


def test_what_is_set_while_a_variant_shows_is_that_ones() -> None:
    doc = done(document(), ShowVariant(variant="v"))
    doc = done(doc, SetLayer(sheet="s", layer="b", values={"strength": 0.9, "visible": False}))
    uses = {**layer(doc, "a").model_dump()["channels"]}
    uses["base_color"] = {**uses["base_color"], "value": BLUE}
    doc = done(doc, SetLayer(sheet="s", layer="a", values={"channels": uses}))
    assert layer(doc, "b").strength == 0.9
    assert layer(doc, "a").channels["base_color"].value == BLUE
    # Only what differs is kept: roughness was among the values that came, and stays the base's.
    said = {o.layer: set(o.values) for o in variant_of(doc, "v").overrides}
    assert said == {"b": {"strength", "visible"}, "a": {"channels.base_color"}}
    base, other = base_of(doc), shown_as(doc, "w")
    assert base.sheets == other.sheets == document().sheets
    assert shown_as(other, "v").sheets == doc.sheets
    # Said as the base has it, it is said no more.
    doc = done(doc, SetLayer(sheet="s", layer="b", values={"strength": 0.5, "visible": True}))
    assert {o.layer for o in variant_of(doc, "v").overrides} == {"a"}


def test_structure_names_and_locks_are_shared() -> None:
    doc = done(document(), ShowVariant(variant="v"))
    doc = done(doc, SetLayer(sheet="s", layer="a", values={"name": "Coat", "locked": True, "strength": 0.2}))
    doc = done(doc, AddLayer(sheet="s", layer=fill_layer("new", {"base_color": SAND})))
    doc = done(doc, MoveLayer(sheet="s", layer="b", into=None, index=0))
    base = base_of(doc)
    assert (layer(base, "a").name, layer(base, "a").locked, layer(base, "a").strength) == ("Coat", True, 1.0)
    assert [x.id for x in base.sheets[0].layers] == ["b", "new", "a", "g", "hull"] == [x.id for x in doc.sheets[0].layers]


def test_a_roles_colour_is_the_bases_or_a_variants() -> None:
    doc = done(document(), ShowVariant(variant="v"))
    doc = done(doc, SetRoleColour(role="hull", colour=BLUE))
    assert doc.value_of(layer(doc, "hull").channels["base_color"]) == BLUE
    assert base_of(doc).settings.roles[0].colour == shown_as(doc, "w").settings.roles[0].colour == SAND
    canvas = Canvas(square(), doc.sheets[0].layers[2:], side=256, settings=doc.settings)
    assert_allclose(canvas.value("base_color", 0, 0, 0), BLUE, atol=1e-4)
    with pytest.raises(NotFound):
        done(doc, SetRoleColour(role="deck", colour=BLUE))
    with pytest.raises(InputError):
        done(doc, SetSettings(values={"roles": ()}))


def test_what_is_said_of_a_deleted_layer_waits_for_it() -> None:
    doc = done(document(), ShowVariant(variant="v"))
    doc = done(doc, SetLayer(sheet="s", layer="b", values={"strength": 0.9}))
    gone, back = apply_edit(doc, RemoveLayer(sheet="s", layer="b"))
    assert waiting(gone, variant_of(gone, "v")) == 1
    assert shown_as(gone, "v").sheets == gone.sheets
    again = apply_edit(shown_as(gone, None), back)[0]
    assert layer(again, "b").strength == 0.5
    assert layer(shown_as(again, "v"), "b").strength == 0.9


def test_a_variant_that_is_taken_away_gives_way_to_the_base() -> None:
    doc = done(document(), ShowVariant(variant="v"))
    doc = done(doc, SetLayer(sheet="s", layer="b", values={"strength": 0.9}))
    left, back = apply_edit(doc, SetVariants(variants=doc.variants[1:]))
    assert left.showing is None
    assert layer(left, "b").strength == 0.5
    assert layer(shown_as(apply_edit(left, back)[0], "v"), "b").strength == 0.9
    with pytest.raises(NotFound):
        shown_as(left, "v")


def test_variants_that_cannot_be_are_refused() -> None:
    doc = document()
    wrong = Variant.model_validate({"id": "x", "name": "X", "overrides": [{"sheet": "s", "layer": "b", "values": {"strength": "much"}}]})
    with pytest.raises(InputError, match="says of b what cannot be"):
        apply_edit(doc, SetVariants(variants=(wrong,)))
    with pytest.raises(InputError, match="one id"):
        apply_edit(doc, SetVariants(variants=(doc.variants[0], doc.variants[0])))
    with pytest.raises(ValueError, match="cannot change a layer's id"):
        Variant.model_validate({"id": "x", "name": "X", "overrides": [{"sheet": "s", "layer": "b", "values": {"id": "y"}}]})


def edit_of(draw: random.Random, doc: Document) -> AnyEdit:
    ids = [x.id for x, _ in doc.sheets[0].walk()]
    if not ids:
        return AddLayer(sheet="s", layer=fill_layer(f"n{draw.randrange(10**9)}", {"base_color": SAND}))
    one = draw.choice(ids)
    strength = SetLayer(sheet="s", layer=one, values={"strength": draw.choice([0.1, 0.5, 1.0]), "visible": draw.random() < 0.7})
    choices: list[AnyEdit] = [
        strength,
        strength,
        SetLayer(sheet="s", layer=one, values={"name": f"n{draw.randrange(9)}", "blend": draw.choice(["normal", "multiply"])}),
        SetLayer(sheet="s", layer=one, values={"mask": {"sources": [{"kind": "noise", "id": "m", "seed": draw.randrange(5)}]}}),
        RemoveLayer(sheet="s", layer=one),
        AddLayer(sheet="s", layer=fill_layer(f"n{draw.randrange(10**9)}", {"base_color": SAND})),
        MoveLayer(sheet="s", layer=one, into=None, index=draw.randrange(3)),
        SetRoleColour(role="hull", colour=draw.choice([RED, BLUE, SAND])),
        SetRoles(roles=(SwatchRole(id="hull", name=f"H{draw.randrange(9)}", colour=draw.choice([RED, SAND])),)),
        SetVariants(variants=(*doc.variants, Variant(id=f"v{draw.randrange(10**9)}", name="More"))),
        Batch(edits=(strength, SetRoleColour(role="hull", colour=BLUE))),
    ]
    return draw.choice(choices)


@pytest.mark.parametrize("seed", range(40))
def test_every_edit_is_taken_back_whatever_shows_meanwhile(seed: int) -> None:
    draw = random.Random(seed)
    doc, past = document(), []
    for _ in range(25):
        doc = shown_as(doc, draw.choice([None, *(v.id for v in doc.variants)]))
        before = base_of(doc)
        doc, inverse = apply_edit(doc, for_showing(doc, edit_of(draw, doc)))
        past.append((before, inverse))
        # A document is the same when it is read back.
        assert Document.from_stored(doc.to_stored()) == doc
    for before, inverse in reversed(past):
        doc = shown_as(doc, draw.choice([None, *(v.id for v in doc.variants)]))
        doc, _ = apply_edit(doc, inverse)
        had, now = before, base_of(doc)
        assert now.sheets == had.sheets
        assert now.settings == had.settings
        assert {v.id: sorted(map(repr, v.overrides)) for v in now.variants} == {v.id: sorted(map(repr, v.overrides)) for v in had.variants}
        assert {v.id: v.roles for v in now.variants} == {v.id: v.roles for v in had.variants}


def test_a_variants_pixels_are_those_of_the_same_changes_made_by_hand() -> None:
    doc = done(document(), ShowVariant(variant="v"))
    doc = done(doc, SetLayer(sheet="s", layer="a", values={"strength": 0.3, "blend": "multiply"}))
    by_hand = done(document(), SetLayer(sheet="s", layer="a", values={"strength": 0.3, "blend": "multiply"}))
    made = [Canvas(square(), d.sheets[0].layers, side=256, settings=d.settings).evaluator.composite("base_color", 0) for d in (doc, by_hand)]
    assert_array_equal(*made)
    assert np.ptp(made[0]) > 0
