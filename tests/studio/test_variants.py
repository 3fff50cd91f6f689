"""Variants of a project: shown, exported, looked at, and as projects of their own."""

from __future__ import annotations

import json
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Event
from typing import Any

import cv2
import numpy as np
import pytest
from numpy.testing import assert_array_equal
from PIL import Image

from ruvelt.core.errors import InputError, NotFound
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.output.preview import render
from ruvelt.core.stack.document import ChannelUse, FillLayer
from ruvelt.core.stack.edits import AddLayer, Batch, RemoveLayer, SetLayer, SetRoleColour, SetRoles, SetVariants, ShowVariant, SwatchRole
from ruvelt.core.stack.variant import Variant
from ruvelt.studio.exports import export_project
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from ruvelt.studio.trial import trial
from ruvelt.studio.variants import kept_looks, look_at, variant_facts
from tests.core.test_glb import parts_of, validate
from tests.studio.test_exchange import ball, painted

SEPARATE = next(p for p in BUILT_IN if p.id == "separate-maps")
PACKED = next(p for p in BUILT_IN if p.id == "packed-orm")
HANDS: dict[str, list[dict[str, object]]] = {
    "dusk": [{"layer": "coat", "values": {"strength": 0.3}}, {"layer": "l2", "values": {"visible": False}}],
    "dawn": [{"layer": "coat", "values": {"blend": "multiply"}}],
}


def varied(studio: Studio) -> tuple[Session, str]:
    """A painted ball with a coat by a role, and two variants beside the base."""
    session = ball(studio)
    painted(studio, session)
    sheet = session.document.textured[0].id
    session.edit(SetRoles(roles=(SwatchRole(id="hull", name="Hull", colour=(0.2, 0.3, 0.5)),)), "Roles")
    coat = FillLayer(id="coat", name="Coat", strength=0.6, channels={"base_color": ChannelUse(role="hull", value=(0.0, 0.0, 0.0))})
    session.edit(AddLayer(sheet=sheet, layer=coat), "Coat")
    session.edit(SetVariants(variants=tuple(Variant(id=v, name=v.title()) for v in HANDS)), "Variants")
    for variant, changes in HANDS.items():
        session.show_variant(variant)
        for change in changes:
            session.edit(SetLayer.model_validate({"sheet": sheet, **change}), "Set")
    session.edit(SetRoleColour(role="hull", colour=(0.7, 0.2, 0.1)), "Hull")
    session.show_variant(None)
    return session, sheet


def contents(folder: Path) -> dict[str, bytes]:
    return {f.name: f.read_bytes() for f in folder.iterdir()}


def test_switching_stores_no_pixels_and_is_no_step(studio: Studio) -> None:
    session, _ = varied(studio)
    head, planes = session.store.head, dict(session.store.planes)
    revision = session.revision
    session.show_variant("dusk")
    assert (session.store.head, session.store.planes) == (head, planes)
    assert session.revision == revision + 1
    uid = session.uid
    studio.release(uid)
    again = studio.session(uid)
    assert again.document.showing == "dusk"
    again.undo()
    assert again.document.showing == "dusk"
    with pytest.raises(NotFound):
        again.show_variant("noon")


@pytest.mark.parametrize("variant", ["dusk", "dawn"])
def test_an_export_of_a_variant_is_that_of_the_changes_made_by_hand(studio: Studio, tmp_path: Path, variant: str) -> None:
    session, sheet = varied(studio)
    export_project(session, PACKED, tmp_path / "v", variants=[variant])
    copied = studio.session(studio.copy_variant(session.uid, None, "Ball"))
    assert copied.document.variants == ()
    for change in HANDS[variant]:
        copied.edit(SetLayer.model_validate({"sheet": sheet, **change}), "By hand")
    if variant == "dawn":
        copied.edit(SetRoleColour(role="hull", colour=(0.7, 0.2, 0.1)), "By hand")
    export_project(copied, PACKED, tmp_path / "h")
    assert contents(tmp_path / "v") == contents(tmp_path / "h")
    own = studio.session(studio.copy_variant(session.uid, variant, "Ball"))
    export_project(own, PACKED, tmp_path / "o")
    assert contents(tmp_path / "o") == contents(tmp_path / "h")
    # What it was made of is still there, and so is its history.
    own.undo()
    assert [v.id for v in own.document.variants] == ["dusk", "dawn"]


def test_a_gltf_beside_its_pictures_has_those_of_each_variant(studio: Studio, tmp_path: Path) -> None:
    """Two exports: with maps as glTF wants them, which are taken from the set, and with others, beside which pictures are made."""
    session, sheet = varied(studio)
    grain = {
        "id": "grain",
        "name": "Grain",
        "channels": {"base_color": {"value": (0.1, 0.1, 0.1)}},
        "mask": {"sources": [{"kind": "noise", "id": "m"}]},
    }
    session.edit(AddLayer(sheet=sheet, layer=FillLayer.model_validate(grain)), "Grain")
    for name, preset in (("own", SEPARATE), ("set", PACKED)):
        folder = tmp_path / name
        export_project(session, preset.model_copy(update={"assets": ("gltf",)}), folder, variants=[None, "dusk", "dawn"])
        document = json.loads((folder / "Ball_asset.gltf").read_text())
        mappings = document["meshes"][0]["primitives"][0]["extensions"]["KHR_materials_variants"]["mappings"]
        seen = {}
        for mapping in mappings:
            pbr = document["materials"][mapping["material"]]["pbrMetallicRoughness"]
            uri = document["images"][document["textures"][pbr["baseColorTexture"]["index"]]["source"]]["uri"]
            for k in mapping["variants"]:
                seen[document["extensions"]["KHR_materials_variants"]["variants"][k]["name"]] = cv2.imread(str(folder / uri))
        for variant, picture in seen.items():
            export_project(
                session, SEPARATE, tmp_path / f"{name} {variant}", maps=["base_color"], variants=[{"base": None}.get(variant, variant.lower())]
            )
            assert np.array_equal(picture, cv2.imread(str(next((tmp_path / f"{name} {variant}").glob("*.png"))))), (name, variant)
        assert len(seen) == 3


def test_of_chosen_variants_only_maps_that_differ_are_written_twice(studio: Studio, tmp_path: Path) -> None:
    session, _ = varied(studio)
    files = export_project(session, SEPARATE, tmp_path / "all", variants=[None, "dusk", "dawn"])
    colour = [f for f in files if f.map == "base_color"]
    assert {f.variants for f in colour} == {("base",), ("Dusk",), ("Dawn",)}
    assert {f.name for f in colour} == {f"Ball_Default_base_color_{v}.png" for v in ("base", "Dusk", "Dawn")}
    assert {f.variants for f in files if f.map == "roughness"} == {("base", "Dusk", "Dawn")}
    assert [f.name for f in files if f.map == "roughness"] == ["Ball_Default_roughness.png"]
    assert len({f.sha256 for f in colour}) == 3
    listed = json.loads((tmp_path / "all" / "listing.json").read_text())
    assert all(f["variants"] for f in listed["files"])
    named = SEPARATE.model_copy(update={"template": "{variant}_{project}_{map}"})
    names = {f.name for f in export_project(session, named, tmp_path / "named", variants=[None, "dusk"])}
    assert {"Dusk_Ball_base_color.png", "base_Ball_base_color.png", "Ball_roughness.png"} <= names
    # One by itself has no variant in its name, and its listing says nothing of them.
    alone = export_project(session, named, tmp_path / "one", variants=["dusk"])
    assert {f.name for f in alone if f.map == "base_color"} == {"Ball_base_color.png"}
    with pytest.raises(NotFound):
        export_project(session, SEPARATE, tmp_path / "x", variants=["noon"])
    with pytest.raises(InputError, match="at least one"):
        export_project(session, SEPARATE, tmp_path / "x", variants=[])
    assert not (tmp_path / "x").exists()


def test_variants_of_one_name_are_told_apart_or_refused(studio: Studio, tmp_path: Path) -> None:
    session, _ = varied(studio)
    session.edit(SetVariants(variants=tuple(v.model_copy(update={"name": "Night"}) for v in session.document.variants)), "Rename")
    with pytest.raises(InputError, match="one name"):
        export_project(session, SEPARATE, tmp_path / "x", variants=["dusk", "dawn"])
    slashes = (session.document.variants[0], session.document.variants[1].model_copy(update={"name": "Night?"}))
    session.edit(SetVariants(variants=slashes), "Rename")
    with pytest.raises(InputError, match="names of their own"):
        export_project(session, SEPARATE, tmp_path / "x", variants=["dusk", "dawn"])


def test_a_glb_holds_variants_as_its_own_standard_has_them(studio: Studio, tmp_path: Path) -> None:
    session, _ = varied(studio)
    export_project(session, PACKED, tmp_path / "all", variants=[None, "dusk", "dawn"])
    glb = next((tmp_path / "all").glob("*.glb")).read_bytes()
    issues = validate(glb)
    assert issues["numErrors"] == 0, issues
    document, _ = parts_of(glb)
    names = [v["name"] for v in document["extensions"]["KHR_materials_variants"]["variants"]]  # type: ignore[index]
    assert names == ["base", "Dusk", "Dawn"]
    primitive = document["meshes"][0]["primitives"][0]  # type: ignore[index]
    mappings = primitive["extensions"]["KHR_materials_variants"]["mappings"]
    assert sorted(v for m in mappings for v in m["variants"]) == [0, 1, 2]
    materials = document["materials"]
    assert len(materials) == 3  # type: ignore[arg-type]
    # What they share is in the file once.
    pictures = {m["pbrMetallicRoughness"].get("baseColorTexture", {}).get("index") for m in materials}  # type: ignore[index, union-attr]
    # With the painted layer hidden the colour is even, and so a factor.
    assert pictures == {0, 1, None}
    assert len(document["images"]) == 2  # type: ignore[arg-type]
    assert read_mesh(glb, "b.glb").face_count > 0


def all_looks(session: Session) -> dict[str, str]:
    """Looks at all, those made that are not kept."""
    kept = kept_looks(session)
    return {v: kept.get(v) or look_at(session, v) for v in ("", *(v.id for v in session.document.variants))}


def test_looks_are_kept_and_follow_what_changes(studio: Studio) -> None:
    session, sheet = varied(studio)
    assert kept_looks(session) == {}
    first = all_looks(session)
    assert set(first) == {"", "dusk", "dawn"}
    assert len(set(first.values())) == 3
    assert kept_looks(session) == first
    session.show_variant("dusk")
    assert kept_looks(session) == first
    session.edit(SetLayer(sheet=sheet, layer="coat", values={"strength": 0.9}), "More")
    kept = kept_looks(session)
    assert kept == {"": first[""], "dawn": first["dawn"]}
    assert look_at(session, "dusk") != first["dusk"]
    session.edit(RemoveLayer(sheet=sheet, layer="coat"), "Delete")
    assert variant_facts(session) == {"dusk": 1, "dawn": 1}
    with pytest.raises(NotFound):
        look_at(session, "noon")


def test_strokes_go_on_while_a_look_is_made_and_one_that_they_changed_is_not_kept(studio: Studio, monkeypatch: pytest.MonkeyPatch) -> None:
    session, sheet = varied(studio)
    inside, go_on = Event(), Event()

    def slow(*args: Any) -> np.ndarray:
        inside.set()
        assert go_on.wait(20)
        return render(*args)

    monkeypatch.setattr("ruvelt.studio.cards.render", slow)
    with ThreadPoolExecutor(1) as other:
        looking = other.submit(look_at, session, "dawn")
        assert inside.wait(20)
        session.edit(SetLayer(sheet=sheet, layer="l2", values={"visible": False}), "Hide")
        go_on.set()
        assert looking.result(20).startswith("data:image/jpeg")
    assert kept_looks(session) == {}


def test_a_variant_is_seen_before_it_is_shown(studio: Studio) -> None:
    session, sheet = varied(studio)
    session.show_variant("dusk")
    wanted = session.display(sheet).tile("colour", 0)
    session.show_variant("dawn")
    assert_array_equal(trial(session, sheet, ShowVariant(variant="dusk")).tile("colour", 0), wanted)
    assert not np.array_equal(session.display(sheet).tile("colour", 0), wanted)
    assert session.document.showing == "dawn"


def test_a_batch_goes_to_the_variant_that_shows(studio: Studio) -> None:
    session, sheet = varied(studio)
    session.show_variant("dusk")
    session.edit(Batch(edits=(SetLayer(sheet=sheet, layer="coat", values={"strength": 0.8}),)), "Batch")
    session.show_variant(None)
    layer = session.sheet(sheet).find("coat")
    assert layer is not None
    assert layer.strength == 0.6


def test_what_is_not_whole_in_a_variant_is_refused(studio: Studio) -> None:
    session, sheet = varied(studio)
    bad = {"sheet": sheet, "layer": "coat", "values": {"channels.roughness": {"value": [0.1, 0.2, 0.3]}}}
    with pytest.raises(InputError, match="Wrong number of values"):
        session.edit(SetVariants(variants=(Variant.model_validate({"id": "x", "name": "X", "overrides": [bad]}),)), "Bad")
    assert len(session.document.variants) == 2


def test_height_strength_makes_normals_steeper_and_heights_taller(studio: Studio, tmp_path: Path) -> None:
    session, sheet = varied(studio)
    bumps = {"id": "b", "name": "B", "channels": {"height": {"value": (0.2,)}}, "mask": {"sources": [{"kind": "noise", "id": "m"}]}}
    session.edit(AddLayer(sheet=sheet, layer=FillLayer.model_validate(bumps)), "Bumps")

    def maps(strength: float) -> tuple[np.ndarray, np.ndarray]:
        preset: ExportPreset = SEPARATE.model_copy(update={"height_strength": strength})
        files = export_project(session, preset, tmp_path / str(strength), maps=["normal", "height"])
        normal, height = (np.asarray(Image.open(tmp_path / str(strength) / next(f.name for f in files if f.map == m))) for m in ("normal", "height"))
        return normal.astype(float) / 127.5 - 1, height.astype(float)

    (n1, h1), (n2, h2) = maps(1.0), maps(2.0)
    covered = np.abs(h1 - 32768) > 50
    assert_array_equal(np.abs((h2 - 32768) - 2 * (h1 - 32768))[covered] <= 2, True)
    lean = lambda n: np.hypot(n[..., 0], n[..., 1])[covered]  # noqa: E731 -- one line
    steep = lean(n1) > 0.1
    assert np.median(lean(n2)[steep] / lean(n1)[steep]) > 1.3
