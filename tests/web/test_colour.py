"""Colour work over HTTP: what is asked of adjustments, presets, variants and maps outside, and what is refused."""

from __future__ import annotations

import io
import subprocess
import sys
from pathlib import Path

import pytest
from flask.testing import FlaskClient
from PIL import Image

from ruvelt.studio.studio import Studio
from tests.web.test_api import unpack

EDITOR = Path(__file__).parents[2] / "tools" / "simulated_editor.py"
CAMERA = {"eye": [0, 0, 6], "target": [0, 0, 0], "width": 300, "height": 300}
ADJUST = {
    "id": "adj",
    "name": "Recolour",
    "kind": "adjust",
    "channels": {"base_color": {}},
    "adjust": {"kind": "hsv"},
    "ranges": [{"id": "r", "colour": [0.5, 0.5, 0.5], "adjust": {"kind": "hsv", "value": 0.4}}],
}


@pytest.fixture
def url(client: FlaskClient, cube: str) -> str:
    """A project with an adjustment in front of the wooden sheet."""
    found = f"/api/projects/{cube}"
    edit(client, found, {"edit": "add-layer", "sheet": "wood", "layer": ADJUST})
    return found


def edit(client: FlaskClient, url: str, change: dict[str, object], status: int = 200) -> dict[str, object]:
    answer = client.post(f"{url}/edit", json={"revision": client.get(url).json["revision"], "label": "Edit", "edit": change})
    assert answer.status_code == status, answer.json
    return dict(answer.json)


def layers(client: FlaskClient, url: str) -> list[str]:
    return [x["id"] for x in client.get(url).json["document"]["sheets"][0]["layers"]]


def test_values_colours_and_figures_beneath(client: FlaskClient, url: str) -> None:
    asked = {"sheet": "wood", "layer": "adj"}
    bins = client.post(f"{url}/histogram", json={**asked, "channel": "base_color"}).json["bins"]
    assert [len(b) for b in bins] == [256] * 3
    # The crate has one colour.
    assert max(bins[0]) == sum(bins[0]) > 0
    seen = client.post(f"{url}/histogram", json={**asked, "channel": "base_color", "camera": CAMERA}).json["bins"]
    assert 0 < sum(seen[0]) < 320 * 320
    colour = client.post(f"{url}/colour-beneath", json={**asked, "camera": CAMERA, "points": [[150, 150]]}).json["colour"]
    assert [b.index(max(b)) for b in bins] == [round(c * 255) for c in colour]
    nowhere = client.post(f"{url}/colour-beneath", json={**asked, "camera": CAMERA, "points": [[1, 1]]})
    assert (nowhere.status_code, "no surface" in nowhere.json["error"]) == (400, True)
    refused = client.post(f"{url}/measure", json={**asked, "goal_layer": "adj"})
    assert refused.status_code == 400
    assert client.post(f"{url}/measure", json={**asked, "goal_picture": "gone"}).status_code == 404
    assert client.post(f"{url}/histogram", json={**asked, "channel": "none"}).status_code == 404
    assert client.post(f"{url}/histogram", json={"sheet": "wood", "layer": "gone", "channel": "base_color"}).status_code in (400, 404, 200)


def test_a_catch_is_a_texture_a_mask_and_a_group(client: FlaskClient, url: str) -> None:
    asked = {"sheet": "wood", "layer": "adj", "camera": CAMERA, "points": [[150, 150]]}
    here = client.post(f"{url}/colour-beneath", json=asked).json["colour"]
    ranges = [{**ADJUST["ranges"][0], "colour": here}]  # type: ignore[index]
    edit(client, url, {"edit": "set-layer", "sheet": "wood", "layer": "adj", "values": {"ranges": ranges}})
    body = {"sheet": "wood", "textures": ["channel:catch:adj:r", "channel:catch:adj"]}
    header, data = unpack(client.post(f"{url}/display", json=body).data)
    assert len(header["tiles"]) == 2  # type: ignore[arg-type]
    assert data[:3] == b"\xff\xff\xff"
    assert client.post(f"{url}/display", json={"sheet": "wood", "textures": ["channel:catch:adj:gone"]}).status_code == 404
    made = client.post(f"{url}/catch-mask", json={"sheet": "wood", "layer": "adj", "range": "r"}).json["layer"]
    assert layers(client, url)[0] == made
    group = client.post(f"{url}/catch-group", json={"sheet": "wood", "layer": "adj", "range": "r"}).json
    assert len(group["document"]["face_sets"]) == 1
    for wrong in ("../x", "A"):
        assert client.post(f"{url}/catch-mask", json={"sheet": "wood", "layer": "adj", "range": wrong}).status_code == 400
    stale = client.post(f"{url}/catch-mask", json={"sheet": "wood", "layer": "adj", "range": "r", "revision": 1})
    assert stale.status_code == 409


def test_merging_down_and_presets(client: FlaskClient, url: str) -> None:
    # Ranges of a layer that shows nothing leave nothing to merge.
    under = {"id": "coat", "name": "Coat", "kind": "fill", "channels": {"base_color": {"value": [0.2, 0.4, 0.6]}}}
    edit(client, url, {"edit": "add-layer", "sheet": "wood", "layer": under, "index": 1})
    made = client.post(f"{url}/merge-down", json={"sheet": "wood", "layer": "adj"}).json["layer"]
    assert layers(client, url)[0] == made
    assert "coat" not in layers(client, url)
    assert client.get("/api/adjustment-presets").json["presets"] == []
    preset = {"id": "evening", "name": "Evening", **{k: ADJUST[k] for k in ("adjust", "ranges")}}
    kept = client.post("/api/adjustment-presets", json=preset).json["presets"]
    assert [(p["id"], p["ranges"][0]["adjust"]["value"]) for p in kept] == [("evening", 0.4)]
    assert client.post("/api/adjustment-presets", json={**preset, "adjust": {"kind": "wish"}}).status_code == 400
    assert client.delete("/api/adjustment-presets/evening").json["presets"] == []


def test_a_file_of_presets_that_is_none_is_told(client: FlaskClient, studio: Studio) -> None:
    (studio.data / "adjustments.json").write_text("not JSON")
    answer = client.get("/api/adjustment-presets")
    assert (answer.status_code, "adjustments.json" in answer.json["error"]) == (400, True)


def test_variants_are_shown_looked_at_and_made_projects(client: FlaskClient, url: str) -> None:
    edit(client, url, {"edit": "set-variants", "variants": [{"id": "v", "name": "Dusk"}]})
    head = client.get(url).json
    shown = client.post(f"{url}/variants/show", json={"variant": "v"}).json
    assert shown["document"]["showing"] == "v"
    assert shown["undo_label"] == head["undo_label"]
    edit(client, url, {"edit": "set-layer", "sheet": "wood", "layer": "adj", "values": {"strength": 0.1}})
    assert client.post(f"{url}/variants/show", json={"variant": None}).json["document"]["sheets"][0]["layers"][0]["strength"] == 1.0
    looks = client.get(f"{url}/variants").json
    assert looks["pictures"] == {}
    base = client.post(f"{url}/variants/look", json={"variant": None}).json["picture"]
    other = client.post(f"{url}/variants/look", json={"variant": "v"}).json["picture"]
    assert client.get(f"{url}/variants").json["pictures"] == {"": base, "v": other}
    assert base.startswith("data:image/jpeg;base64,")
    assert base != other
    assert client.post(f"{url}/variants/look", json={"variant": "gone"}).status_code == 404
    assert looks["waiting"] == {"v": 0}
    assert client.post(f"{url}/variants/show", json={"variant": "gone"}).status_code == 404
    wrong = {"id": "w", "name": "W", "overrides": [{"sheet": "wood", "layer": "adj", "values": {"adjust": {"kind": "levels"}}}]}
    assert "cannot be" in str(edit(client, url, {"edit": "set-variants", "variants": [wrong]}, 400)["error"])
    made = client.post(f"{url}/variants/as-project", json={"variant": "v", "name": "Dusk crate"}).json["uid"]
    assert client.get(f"/api/projects/{made}").json["document"]["sheets"][0]["layers"][0]["strength"] == 0.1
    assert client.post(f"{url}/variants/as-project", json={"variant": "v", "name": "a\tb"}).status_code == 400


def test_a_map_outside_and_back(client: FlaskClient, url: str, studio: Studio, cube: str) -> None:
    trip = client.post(f"{url}/outside", json={"sheet": "wood", "channel": "base_color", "bits": 8}).json
    assert trip["changed"] is False
    path = Path(trip["folder"]) / trip["file"]
    assert path.parent == studio.data / "outside" / cube
    subprocess.run([sys.executable, str(EDITOR), str(path), "--square", "0", "0", "256", "256", "--colour", "0", "0", "1"], check=True)
    assert client.get(f"{url}/outside").json["trips"][0]["changed"] is True
    look = client.post(f"{url}/outside/{trip['id']}/look", json={}).json
    assert look["changed"] == look["covered"] > 0
    landed = client.post(f"{url}/outside/{trip['id']}/land", json={}).json
    assert layers(client, url)[0] == landed["layer"]
    # A picture that was sent from elsewhere, of another size.
    small = io.BytesIO()
    Image.new("RGB", (128, 128), (9, 9, 9)).save(small, "PNG")
    small.seek(0)
    assert client.post(f"{url}/outside/{trip['id']}/file", data={"file": (small, "x.png")}).status_code == 200
    refused = client.post(f"{url}/outside/{trip['id']}/land", json={})
    assert (refused.status_code, "128 × 128" in refused.json["error"]) == (400, True)
    assert client.post(f"{url}/outside/{trip['id']}/land", json={"scaled": True}).json["layer"] == landed["layer"]
    for wrong in ("..%2F..%2Fetc", "gone"):
        assert client.post(f"{url}/outside/{wrong}/look", json={}).status_code in (400, 404, 405)
    assert client.delete(f"{url}/outside/{trip['id']}").json["trips"] == []
    assert not path.exists()
    client.post(f"{url}/outside", json={"sheet": "wood", "channel": "base_color"})
    client.delete(url)
    assert not path.parent.exists()
