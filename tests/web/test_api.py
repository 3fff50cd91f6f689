"""The API through Flask's client: the same use-cases over HTTP, and every way a request can be wrong."""

from __future__ import annotations

import io
import json
import struct
import time
import zipfile

import numpy as np
import pytest
from flask.testing import FlaskClient
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from PIL import Image

from ruvelt.core.output.images import encode_png
from ruvelt.studio.studio import Studio
from tests.gltf_files import UVS, Glb, noise_png, plate
from tests.meshes import CUBE_MTL, cube_obj

CAMERA = {"eye": [0, 0, 6], "target": [0, 0, 0], "fov_deg": 30, "width": 200, "height": 200}
TARGET = {"sheet": "wood", "layer": "l2", "channels": ["base_color"]}
RED = {"values": {"base_color": [1, 0, 0]}}
BRUSH = {"size": 60, "hardness": 0.8, "flow": 1.0}


def unpack(data: bytes) -> tuple[dict[str, object], bytes]:
    length = struct.unpack_from("<I", data)[0]
    return json.loads(data[4 : 4 + length]), data[4 + length :]


def finish(client: FlaskClient, answer: object) -> dict[str, object]:
    job = answer.json  # type: ignore[attr-defined]
    until = time.monotonic() + 120
    while job["state"] == "running" and time.monotonic() < until:
        time.sleep(0.01)
        job = client.get(f"/api/jobs/{job['id']}").json
    assert job["state"] != "running"
    return dict(job)


def upload(client: FlaskClient, *files: tuple[str, bytes], **form: str) -> dict[str, object]:
    data = {**form, "file": [(io.BytesIO(content), name) for name, content in files]}
    return finish(client, client.post("/api/projects", data=data, content_type="multipart/form-data"))


def test_a_glb_with_pictures_over_http(client: FlaskClient) -> None:
    """Notes, UV sets, sheet facts and geometry of a file that brings more than a mesh."""
    glb = Glb()
    material = {
        "name": "Tin",
        "doubleSided": True,
        "alphaMode": "MASK",
        "pbrMetallicRoughness": {"baseColorTexture": {"index": glb.picture(noise_png(256, 1)[1])}},
    }
    tint = glb.accessor([[1, 0.5, 0.25, 1]] * 4)
    data = plate(material, UVS * 2, glb, TEXCOORD_1=glb.accessor(UVS), COLOR_0=tint).bytes()
    job = upload(client, ("tin.glb", data))
    url = f"/api/projects/{job['result']['project']}"  # type: ignore[index]
    facts = client.get(f"{url}/model").json
    assert {n["outcome"] for n in facts["notes"]} == {"kept", "folded"}
    assert facts["uv_layouts"] == [{"name": "UV", "number": 0}, {"name": "UV 2", "number": 1}]
    sheet = client.get(url).json["document"]["sheets"][0]
    assert (sheet["double_sided"], sheet["alpha_mode"], sheet["resolution"]) == (True, "mask", 256)
    header, body = unpack(client.get(f"{url}/geometry/{sheet['id']}").data)
    block = header["colours"]  # type: ignore[index]
    colours = np.frombuffer(body[block["offset"] : block["offset"] + block["length"]], "<f4").reshape(-1, 4)
    assert np.allclose(colours, [1, 0.5, 0.25, 1], atol=1e-6)
    assert len(header["squares"]) == 4  # type: ignore[index, arg-type]
    assert header["indices"]["length"] == 24  # type: ignore[index] # Each triangle once, whatever squares it reaches into.
    moved = client.post(f"{url}/uv-set", json={"number": 1, "revision": client.get(url).json["revision"]})
    assert moved.status_code == 200
    assert client.get(f"{url}/model").json["uv_layouts"][0] == {"name": "UV 2", "number": 1}
    header, _ = unpack(client.get(f"{url}/geometry/{sheet['id']}").data)
    assert header["squares"] == []  # type: ignore[index]
    assert client.post(f"{url}/uv-set", json={"number": 5, "revision": moved.json["revision"]}).status_code == 400
    two = {
        "revision": moved.json["revision"],
        "edit": {"edit": "set-sheet", "sheet": sheet["id"], "values": {"alpha_mode": "blend", "double_sided": False}},
        "label": "Opacity",
    }
    answer = client.post(f"{url}/edit", json=two)
    assert answer.status_code == 200, answer.json
    assert answer.json["document"]["sheets"][0]["alpha_mode"] == "blend"
    assert upload(client, ("tin.glb", data), uv_set="9")["state"] == "failed"
    assert client.post("/api/projects", data={"file": (io.BytesIO(data), "t.glb"), "uv_set": "x"}).status_code == 400


def test_a_project_from_files_to_a_stroke_to_undo(client: FlaskClient) -> None:
    job = upload(client, ("cube.mtl", CUBE_MTL), ("cube.obj", cube_obj()), name="Crate", resolution="256")
    assert job["state"] == "done", job
    uid = job["result"]["project"]  # type: ignore[index]
    state = client.get(f"/api/projects/{uid}").json
    assert [s["name"] for s in state["document"]["sheets"]] == ["Wood", "Iron"]
    assert (state["can_undo"], state["can_redo"]) == (False, False)

    header, body = unpack(client.post(f"/api/projects/{uid}/display", json={"sheet": "wood", "textures": ["colour", "normal"]}).data)
    assert [(t["texture"], t["chunk"]) for t in header["tiles"]] == [("colour", 0), ("normal", 0)]  # type: ignore[index]
    flat = header["tiles"][1]  # type: ignore[index]
    assert (flat["length"], body[flat["offset"] : flat["offset"] + 4]) == (4, b"\x80\x80\xff\xff")
    have = {t["texture"]: [t["version"]] for t in header["tiles"]}  # type: ignore[union-attr]
    again, _ = unpack(client.post(f"/api/projects/{uid}/display", json={"sheet": "wood", "textures": ["colour", "normal"], "have": have}).data)
    assert again["tiles"] == []

    begin = {"revision": state["revision"], "target": TARGET, "brush": BRUSH, "paint": RED, "camera": CAMERA, "textures": ["colour"]}
    first = client.post(f"/api/projects/{uid}/stroke", json={"stroke": "s1", "begin": begin, "points": [{"x": 100, "y": 100, "pressure": 0.5}]})
    head, pixels = unpack(first.data)
    patch = head["patches"][0]  # type: ignore[index]
    assert patch["length"] == patch["width"] * patch["height"] * 4
    rgba = np.frombuffer(pixels, np.uint8, patch["length"], patch["offset"]).reshape(patch["height"], patch["width"], 4)
    assert (rgba[..., 0] == 255).any()
    end, _ = unpack(client.post(f"/api/projects/{uid}/stroke", json={"stroke": "s1", "points": [], "end": True}).data)
    assert end["stored"] is True
    state = client.get(f"/api/projects/{uid}").json
    assert (state["undo_label"], state["revision"], state["head"]) == ("Brush · Paint · Base colour", end["revision"], 1)
    probe = client.post(f"/api/projects/{uid}/probe", json={"camera": CAMERA, "x": 100, "y": 100, "values": True}).json
    assert probe["values"]["base_color"] == [1.0, 0.0, 0.0]
    assert probe["names"] == {"part": "Lower", "material": "Wood", "group": "sides"}

    undone = client.post(f"/api/projects/{uid}/undo", json={"revision": state["revision"]}).json
    assert (undone["can_undo"], undone["redo_label"]) == (False, "Brush · Paint · Base colour")
    assert client.post(f"/api/projects/{uid}/redo", json={}).json["head"] == 1
    assert client.post(f"/api/projects/{uid}/redo", json={}).status_code == 400
    history = client.get(f"/api/projects/{uid}/history").json
    assert [(s["label"], s["stroke"]) for s in history["steps"]] == [("Brush · Paint · Base colour", True)]


def test_a_second_window_gets_a_conflict_and_catches_up(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}"
    seen = client.get(url).json["revision"]
    edit = {"edit": "set-layer", "sheet": "wood", "layer": "l2", "values": {"name": "Mud"}}
    assert client.post(f"{url}/edit", json={"revision": seen, "label": "Rename", "edit": edit}).status_code == 200
    stale = client.post(f"{url}/edit", json={"revision": seen, "label": "Rename", "edit": edit})
    assert stale.status_code == 409
    assert "another window" in stale.json["error"]
    flood = {"revision": seen, "target": TARGET, "paint": RED}
    assert client.post(f"{url}/flood", json=flood).status_code == 409
    flood["revision"] = client.get(f"{url}/revision").json["revision"]
    assert client.post(f"{url}/flood", json=flood).status_code == 200
    begin = {"revision": seen, "target": TARGET, "brush": BRUSH, "paint": RED, "camera": CAMERA}
    assert client.post(f"{url}/stroke", json={"stroke": "x", "begin": begin, "points": [{"x": 100, "y": 100}]}).status_code == 409


def test_layers_versions_and_names_over_http(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}"
    state = client.get(url).json
    new = client.post(f"{url}/duplicate", json={"revision": state["revision"], "sheet": "wood", "layer": "l2"}).json["layer"]
    assert new in [x["id"] for x in client.get(url).json["document"]["sheets"][0]["layers"]]
    assert client.post(f"{url}/versions", json={"name": "Base"}).json["name"] == "Base"
    number = client.get(f"{url}/history").json["versions"][0]["id"]
    assert client.post(f"{url}/versions/{number}/restore", json={}).json["undo_label"] == "Back to Base"
    assert client.post(f"{url}/versions/999/restore", json={}).status_code == 404
    assert client.patch(url, json={"name": "Old crate"}).json["name"] == "Old crate"
    assert client.patch(url, json={"name": "a\tb"}).status_code == 400
    assert client.post(f"{url}/hidden", json={"parts": [1]}).json["document"]["hidden_parts"] == [1]
    assert client.get(f"{url}/cells/wood").json == {"cells": {}, "waiting": {}}
    assert client.get(f"{url}/unpainted/wood").json["unpainted"] == 0
    facts = client.get(f"{url}/model").json
    assert (facts["faces"], [p["faces"] for p in facts["parts"]], facts["groups"]) == (6, [4, 2], ["sides", "ends"])
    assert client.get(f"{url}/geometry").json["sheets"] == ["wood", "iron"]
    header, body = unpack(client.get(f"{url}/geometry/iron").data)
    assert client.get(f"{url}/geometry/iron").data[4:] == client.get(f"{url}/geometry/iron").data[4:]
    assert client.get(f"{url}/geometry/glass").status_code == 404
    block = header["seams"]
    assert block["offset"] + block["length"] <= len(body)
    assert Image.open(io.BytesIO(client.get(f"{url}/card.jpg").data)).size == (480, 320)
    assert client.delete(url).status_code == 200
    assert client.get(url).status_code == 404


def test_resolution_normal_map_replay_and_export_jobs(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}"
    assert finish(client, client.post(f"{url}/resolution", json={"sheet": "wood", "resolution": 512}))["state"] == "done"
    assert finish(client, client.post(f"{url}/resolution", json={"sheet": "wood", "resolution": 500}))["error"].startswith("A sheet cannot")  # type: ignore[union-attr]
    picture = np.full((64, 64, 3), 32768, np.uint16)
    data = {"file": (io.BytesIO(encode_png(picture, 8)), "n.png"), "y": "down"}
    assert client.post(f"{url}/normal-map/wood", data=data).json["document"]["sheets"][0]["normal_map"] is True
    assert client.delete(f"{url}/normal-map/wood").json["document"]["sheets"][0]["normal_map"] is False
    bad = {"file": (io.BytesIO(b"hello"), "n.png")}
    assert client.post(f"{url}/normal-map/wood", data=bad).status_code == 400

    script = {"format": "ruvelt-strokes", "version": 1, "steps": [{"do": "target", "layer": "Paint"}, {"do": "paint", "paint": RED}, {"do": "flood"}]}
    assert finish(client, client.post(f"{url}/replay", json=script))["result"] == {"steps": 3, "strokes": 0, "missed": 0}
    saved = json.loads(client.get(f"{url}/script?since=0").data)
    assert [s["do"] for s in saved["steps"]] == ["target", "paint", "flood"]

    preset = next(p for p in client.get("/api/presets").json["presets"] if p["id"] == "flat-colour")
    shown = client.post(f"{url}/map-preview", json={"preset": preset, "sheet": "wood", "map": "base_color"})
    assert np.asarray(Image.open(io.BytesIO(shown.data)))[200, 20].tolist() == [255, 0, 0]
    job = finish(client, client.post(f"{url}/exports", json={"preset": preset, "sheets": ["wood"]}))
    assert [f["name"] for f in job["result"]["files"]] == ["Crate_Wood_base_color.png"]  # type: ignore[index]
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"{url}/exports/{job['result']['name']}.zip").data))  # type: ignore[index]
    assert sorted(archive.namelist()) == ["Crate_Wood_base_color.png", "listing.json"]
    assert client.get(f"{url}/exports/..%2f..%2fx.zip").status_code == 404
    own = {**preset, "id": "mine", "name": "Mine"}
    assert "mine" in [p["id"] for p in client.post("/api/presets", json=own).json["presets"]]
    assert client.post("/api/presets", json=preset).status_code == 400
    assert client.delete("/api/presets/mine").status_code == 200
    assert client.delete("/api/presets/mine").status_code == 404


@pytest.mark.parametrize(
    ("files", "form", "match"),
    [
        ([("a.obj", b"f 1 2 3\n")], {}, "names vertex 1"),
        ([("a.txt", b"hello")], {}, "not a mesh format"),
        ([("../../evil.obj", b"")], {}, "is empty"),
        ([("a.ply", b"ply\nformat ascii 1.0\nelement vertex 1000000000\nend_header\n")], {}, "promises"),
        ([("a.obj", cube_obj())], {"resolution": "333"}, "333 texels"),
    ],
)
def test_files_that_cannot_be_read(client: FlaskClient, files: list[tuple[str, bytes]], form: dict[str, str], match: str) -> None:
    job = upload(client, *files, **form)
    assert job["state"] == "failed"
    assert match in str(job["error"])
    assert client.get("/api/projects").json["projects"] == []


def test_forms_that_are_wrong(client: FlaskClient) -> None:
    assert client.post("/api/projects", data={}).status_code == 400
    for form in ({"resolution": "many"}, {"rule": "colour"}):
        data = {**form, "file": (io.BytesIO(cube_obj()), "a.obj")}
        assert client.post("/api/projects", data=data, content_type="multipart/form-data").status_code == 400


WRONG: list[tuple[str, object, int, str]] = [
    ("edit", {"revision": 1, "label": "x", "edit": {"edit": "explode"}}, 400, "edit"),
    ("edit", {"revision": "one", "label": "x", "edit": {}}, 400, "revision"),
    ("edit", {"revision": 1, "label": "x", "edit": {"edit": "remove-layer", "sheet": "wood", "layer": "gone"}}, 404, "gone"),
    (
        "edit",
        {"revision": 1, "label": "x", "edit": {"edit": "set-layer", "sheet": "wood", "layer": "l2", "values": {"strength": 9}}},
        400,
        "strength",
    ),
    ("display", {"sheet": "lid", "textures": ["colour"]}, 404, "no sheet"),
    ("display", {"sheet": "wood", "textures": ["glitter"]}, 404, "glitter"),
    ("display", {"sheet": "wood", "textures": []}, 400, "textures"),
    ("stroke", {"stroke": "a", "points": []}, 404, "not running"),
    ("stroke", {"stroke": "../a"}, 400, "stroke"),
    ("stroke", {"stroke": "a", "points": [{"x": None, "y": 1}]}, 400, "points"),
    ("stroke", {"stroke": "a", "points": [{"x": 1, "y": 1, "pressure": 3}]}, 400, "pressure"),
    ("stroke", {"stroke": "a", "points": [{"x": 1, "y": 1}] * 3000}, 400, "points"),
    ("flood", {"revision": 1, "target": TARGET, "paint": {"values": {"base_color": [1, 2]}}}, 400, "paint"),
    ("flood", {"revision": 1, "target": {**TARGET, "layer": "nope"}, "paint": RED}, 404, "gone"),
    ("probe", {"x": 1}, 400, "y"),
    ("probe", {"x": 1, "y": 1}, 400, "camera or a sheet"),
    ("hidden", {"parts": [99]}, 400, "does not exist"),
    ("replay", {"format": "other"}, 400, "stroke script is wrong"),
    ("duplicate", {"revision": 1, "sheet": "wood", "layer": "nope"}, 404, "gone"),
]


@pytest.mark.parametrize(("route", "content", "status", "match"), WRONG)
def test_wrong_requests_are_told_what_to_do(client: FlaskClient, cube: str, route: str, content: object, status: int, match: str) -> None:
    answer = client.post(f"/api/projects/{cube}/{route}", json=content)
    assert answer.status_code == status
    assert match in answer.json["error"]
    state = client.get(f"/api/projects/{cube}").json
    assert (state["revision"], state["head"]) == (1, 0)


def test_what_is_not_json_at_all(client: FlaskClient, cube: str) -> None:
    for route in ("edit", "stroke", "replay", "flood"):
        answer = client.post(f"/api/projects/{cube}/{route}", data=b"{nan", content_type="application/json")
        assert 400 <= answer.status_code < 500
        assert answer.json["error"]


json_like = st.recursive(
    st.none() | st.booleans() | st.integers() | st.floats() | st.text(max_size=10),
    lambda inner: (
        st.lists(inner, max_size=3)
        | st.dictionaries(
            st.sampled_from(["revision", "edit", "sheet", "layer", "stroke", "begin", "points", "target", "x", "y", "parts"]), inner, max_size=5
        )
    ),
    max_leaves=15,
)


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(route=st.sampled_from(["edit", "stroke", "flood", "probe", "display", "hidden", "replay", "versions", "resolution"]), content=json_like)
def test_any_json_is_answered_without_a_crash(client: FlaskClient, cube: str, route: str, content: object) -> None:
    answer = client.post(f"/api/projects/{cube}/{route}", json=content)
    assert answer.status_code < 500, answer.json


@pytest.mark.parametrize("uid", ["..%2f..", "x", "AAAAAAAAAAAA", "aaaaaaaaaaaa", "%00", "con"])
def test_no_name_becomes_a_path(client: FlaskClient, uid: str) -> None:
    for route in ("", "/card.jpg", "/geometry", "/history", "/exports/a.zip"):
        assert client.get(f"/api/projects/{uid}{route}").status_code == 404


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({}, 200),
        ({"Host": "127.0.0.1:8120"}, 200),
        ({"Host": "evil.example"}, 403),
        ({"Host": "127.0.0.1.evil.example"}, 403),
        ({"Host": "127.0.0.1:8120", "Origin": "http://127.0.0.1:8120"}, 200),
        ({"Host": "127.0.0.1:8120", "Origin": "http://127.0.0.1:9999"}, 403),
        ({"Host": "127.0.0.1:8120", "Origin": "https://evil.example"}, 403),
        ({"Host": "127.0.0.1:8120", "Origin": "null"}, 403),
    ],
)
def test_only_its_own_pages_may_talk_to_it(client: FlaskClient, headers: dict[str, str], status: int) -> None:
    assert client.get("/api/registries", headers=headers).status_code == status
    assert client.post("/api/projects/aaaaaaaaaaaa/undo", json={}, headers=headers).status_code == (404 if status == 200 else 403)


def test_safe_headers_and_limits(client: FlaskClient) -> None:
    answer = client.get("/api/registries")
    assert "default-src 'self'" in answer.headers["Content-Security-Policy"]
    assert answer.headers["X-Content-Type-Options"] == "nosniff"
    assert client.application.config["MAX_CONTENT_LENGTH"] == 1 << 30
    assert client.get("/api/nothing").status_code == 404
    assert client.get("/assets/../../../etc/passwd").data[:4] != b"root"


def test_the_registries_drive_the_interface(client: FlaskClient) -> None:
    told = client.get("/api/registries").json
    assert [p["id"] for p in told["brush_parameters"]][:5] == ["size", "strength", "flow", "hardness", "spacing"]
    for p in told["brush_parameters"]:
        assert p["low"] <= told["brush"][p["id"]] <= p["high"]
    assert {"normal", "multiply", "hue", "height-add"} <= {m["id"] for m in told["blend_modes"]}
    stack = told["stack"]
    assert {k["id"] for k in (*stack["sources"], *stack["shapers"])} == set(stack["first_steps"])
    assert next(k for k in stack["sources"] if k["id"] == "curvature")["needs"] == "curvature"


def test_an_unexpected_error_shows_no_trace(client: FlaskClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(Studio, "projects", lambda self: 1 / 0)
    answer = client.get("/api/projects")
    assert answer.status_code == 500
    assert "ZeroDivision" not in answer.json["error"]
    assert "Traceback" not in answer.get_data(as_text=True)
