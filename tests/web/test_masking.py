"""Masks over HTTP: pictures, trials, small looks, copies, and what is refused."""

from __future__ import annotations

import io
from pathlib import Path

import cv2
import numpy as np
import pytest
from flask.testing import FlaskClient

from ruvelt.core.stack.masks import SHAPERS, SOURCES
from tests.web.test_api import unpack

PAGES = Path(__file__).parents[2] / "docs" / "artists" / "masks"

NOISE = {"kind": "noise", "id": "n", "size": 0.2}


def mask_edit(steps: list[dict[str, object]], layer: str = "l1") -> dict[str, object]:
    return {"edit": "set-layer", "sheet": "wood", "layer": layer, "values": {"mask": {"sources": steps}}}


def header(data: bytes) -> dict[str, object]:
    return unpack(data)[0]


@pytest.fixture
def url(cube: str) -> str:
    return f"/api/projects/{cube}"


def test_a_trial_sends_only_what_the_view_shows_and_changes_nothing(client: FlaskClient, url: str) -> None:
    before = client.get(url).json
    whole = header(client.post(f"{url}/display", json={"sheet": "wood", "textures": ["colour"]}).data)
    camera = {"eye": [0, 0, 6], "target": [0, 0, 0], "width": 300, "height": 300}
    body = {"sheet": "wood", "textures": ["colour", "channel:mask:l1"], "edit": mask_edit([NOISE]), "camera": camera}
    tried = header(client.post(f"{url}/display", json=body).data)
    assert {t["texture"] for t in tried["tiles"]} == {"colour", "channel:mask:l1"}  # type: ignore[attr-defined, index]
    versions = {t["chunk"]: t["version"] for t in whole["tiles"]}  # type: ignore[attr-defined, index]
    assert any(t["version"] != versions[t["chunk"]] for t in tried["tiles"] if t["texture"] == "colour")  # type: ignore[attr-defined, index]
    assert client.get(url).json == before
    # Taken, it has the stamps that were tried: nothing is sent twice.
    client.post(f"{url}/edit", json={"revision": before["revision"], "label": "Noise", "edit": mask_edit([NOISE])})
    have = {t["chunk"]: t["version"] for t in tried["tiles"] if t["texture"] == "colour"}  # type: ignore[attr-defined, index]
    body = {"sheet": "wood", "textures": ["colour"], "have": {"colour": [have.get(c, "") for c in range(1)]}}
    assert header(client.post(f"{url}/display", json=body).data)["tiles"] == []


def test_pictures_come_as_files_and_are_refused_when_they_are_none(client: FlaskClient, url: str) -> None:
    data = cv2.imencode(".png", np.full((8, 8, 3), 90, np.uint8))[1].tobytes()
    key = client.post(f"{url}/images", data={"file": (io.BytesIO(data), "../../bark.png")}).json["image"]
    assert [i["name"] for i in client.get(url).json["document"]["images"]] == ["bark"]
    revision = client.get(url).json["revision"]
    step = {"kind": "image", "id": "p", "image": key}
    assert client.post(f"{url}/edit", json={"revision": revision, "label": "x", "edit": mask_edit([step])}).status_code == 200
    for bad in (b"not a picture", b"", data[:40]):
        answer = client.post(f"{url}/images", data={"file": (io.BytesIO(bad), "x.png")})
        assert answer.status_code == 400
        assert answer.json["error"]
    assert client.post(f"{url}/images", data={}).status_code == 400
    assert len(client.get(url).json["document"]["images"]) == 1


def test_looks_copies_and_conflicts(client: FlaskClient, url: str) -> None:
    revision = client.get(url).json["revision"]
    state = client.post(f"{url}/edit", json={"revision": revision, "label": "x", "edit": mask_edit([NOISE])}).json
    looks = client.post(f"{url}/mask-pictures", json={"sheet": "wood", "layer": "l1"}).json["pictures"]
    assert set(looks) == {"", "n"}
    assert all(v.startswith("data:image/png;base64,") for v in looks.values())
    copied = client.post(f"{url}/copy-mask", json={"revision": state["revision"], "sheet": "wood", "source": "l1", "layer": "l2"})
    assert copied.json["document"]["sheets"][0]["layers"][0]["mask"]["sources"][0]["kind"] == "noise"
    stale = client.post(f"{url}/copy-mask", json={"revision": state["revision"], "sheet": "wood", "source": "l1", "layer": "l2"})
    assert stale.status_code == 409
    assert client.post(f"{url}/mask-pictures", json={"sheet": "wood", "layer": "gone"}).status_code == 404


@pytest.mark.parametrize(
    "steps",
    [
        [{"kind": "curvature", "id": "a", "low": 0.9, "high": 0.1}],
        [{"kind": "noise", "id": "a", "octaves": 1000}],
        [{"kind": "blur", "id": "a", "radius": 1e9}],
        [{"kind": "noise", "id": "a"}, {"kind": "invert", "id": "a"}],
        [{"kind": "image", "id": "a", "image": "../../etc/passwd"}],
        [{"kind": "noise", "id": f"s{i}"} for i in range(33)],
        [{"kind": "layer", "id": "a", "layer": "l1"}],
    ],
)
def test_bad_masks_are_refused_and_store_nothing(client: FlaskClient, url: str, steps: list[dict[str, object]]) -> None:
    before = client.get(url).json
    for path, body in (
        ("edit", {"revision": before["revision"], "label": "x", "edit": mask_edit(steps)}),
        ("display", {"sheet": "wood", "textures": ["colour"], "edit": mask_edit(steps)}),
        ("mask-pictures", {"sheet": "wood", "layer": "l1", "edit": mask_edit(steps)}),
    ):
        answer = client.post(f"{url}/{path}", json=body)
        assert answer.status_code in (400, 422)
        assert answer.json["error"]
    assert client.get(url).json == before


def test_every_kind_of_step_has_a_page_with_a_picture_and_first_values(client: FlaskClient) -> None:
    stack = client.get("/api/registries").json["stack"]
    for kind in (k.described() for k in (*SOURCES, *SHAPERS)):
        name = kind.id.replace("_", "-")
        assert "![" in (PAGES / f"{name}.md").read_text("utf-8")
        assert (PAGES / f"{name}.png").stat().st_size > 1000
        assert stack["first_steps"][kind.id]["kind"] == kind.id
    assert {k["id"] for k in stack["adjustments"]} == set(stack["first_adjustments"])
    assert {k["id"] for k in stack["patterns"]} == set(stack["first_patterns"])
