"""Baking over HTTP: the same use-cases, pieces of a running bake, and every way a request can be wrong."""

from __future__ import annotations

import io
import struct
import threading

import numpy as np
import pytest
from flask.testing import FlaskClient

from ruvelt.core.bake.mesh_map import baked_maps
from ruvelt.core.bake.settings import PARAMETERS, BakeSettings
from ruvelt.core.output.images import encode_png
from ruvelt.core.samples.address import CHUNK
from ruvelt.studio.bakes import BakeRequest
from ruvelt.studio.studio import Studio
from tests.studio.test_bakes import grown_cube
from tests.web.test_api import finish, unpack


def bake(client: FlaskClient, cube: str, *maps: str, **more: object) -> dict[str, object]:
    return finish(client, client.post(f"/api/projects/{cube}/bake", json={"maps": maps, "settings": {"rays": 4}, **more}))


def test_the_registry_tells_every_map_and_setting(client: FlaskClient) -> None:
    told = client.get("/api/registries").json["bake"]
    assert [m["id"] for m in told["maps"]] == [*baked_maps(), "straight"]
    names = {p["id"] for p in told["parameters"]}
    assert {s for m in told["maps"] for s in m["settings"]} <= names
    assert names == {p.id for p in PARAMETERS} == set(BakeSettings.model_fields) - {"seed", "pairs"}
    for p in told["parameters"]:
        if p["kind"] in ("share", "count", "length"):
            assert p["low"] <= told["settings"][p["id"]] <= p["high"]


def test_bake_look_and_remove(client: FlaskClient, cube: str) -> None:
    job = bake(client, cube, "occlusion", "id")
    assert job["state"] == "done"
    assert job["done"] == job["planned"] > 0
    state = client.get(f"/api/projects/{cube}").json
    assert [m["id"] for m in state["document"]["sheets"][0]["mesh_maps"]] == ["occlusion", "id"]
    assert "wood/@map/id" in state["painted"]
    pictures = client.get(f"/api/projects/{cube}/maps/wood").json["cells"]
    assert set(pictures) == {"occlusion", "id"}
    assert all(p.startswith("data:image/png;base64,") for p in pictures.values())
    header, body = unpack(client.post(f"/api/projects/{cube}/display", json={"sheet": "wood", "textures": ["channel:map:occlusion"]}).data)
    tile = header["tiles"][0]  # type: ignore[index]
    assert np.frombuffer(body[tile["offset"] : tile["offset"] + tile["length"]], np.uint8).max() == 255
    state = client.post(f"/api/projects/{cube}/maps/wood/id/touch-up", json={"revision": state["revision"], "on": False}).json
    assert state["document"]["sheets"][0]["mesh_maps"][1]["touch_up"] is False
    state = client.delete(f"/api/projects/{cube}/maps/wood/id").json
    assert [m["id"] for m in state["document"]["sheets"][0]["mesh_maps"]] == ["occlusion"]
    assert client.delete(f"/api/projects/{cube}/maps/wood/id").status_code == 404


def test_a_high_mesh_comes_and_goes(client: FlaskClient, cube: str) -> None:
    form = {"file": (io.BytesIO(grown_cube(1.2)), "far.obj")}
    job = finish(client, client.post(f"/api/projects/{cube}/high", data=form, content_type="multipart/form-data"))
    assert job["result"] == {"high": "far"}
    told = client.post(f"/api/projects/{cube}/bake/estimate", json={"maps": ["height"]}).json
    assert told["rays"] > 10_000
    assert told["memory"] == 12 * 330
    bake(client, cube, "height")
    found = client.get(f"/api/projects/{cube}/suspects").json["suspects"]
    assert {(f["sheet"], f["part"]) for f in found} == {("wood", "Lower"), ("iron", "Upper")}
    assert all(f["missed"] > 1000 and f["other"] == f["far"] == 0 for f in found)
    assert client.delete(f"/api/projects/{cube}/high/far").json["document"]["high_meshes"] == []
    assert client.delete(f"/api/projects/{cube}/high/far").status_code == 404


def test_pieces_of_a_running_bake(client: FlaskClient, studio: Studio, cube: str) -> None:
    ask = {"sheet": "wood", "map": "occlusion"}
    assert unpack(client.post(f"/api/projects/{cube}/bake/arrived", json=ask).data)[0]["running"] is False
    desk = studio.bakery(cube)
    reached, go = threading.Event(), threading.Event()

    def hold(done: int, planned: int, what: str) -> None:
        # The second sheet begins once the first one's pieces have arrived.
        if what.startswith("Iron: Measuring"):
            reached.set()
            assert go.wait(30)

    thread = threading.Thread(target=lambda: desk.bake(BakeRequest(maps=("occlusion",), settings=BakeSettings(rays=4)), hold))
    thread.start()
    assert reached.wait(60)
    data = client.post(f"/api/projects/{cube}/bake/arrived", json=ask).data
    header, body = unpack(data)
    assert struct.unpack_from("<I", data)[0] % 4 == 0
    assert header["running"] is True
    assert [t["chunk"] for t in header["tiles"]] == [0]  # type: ignore[attr-defined]
    assert len(body) == 4 * CHUNK
    later = unpack(client.post(f"/api/projects/{cube}/bake/arrived", json={**ask, "after": header["count"]}).data)[0]
    assert later["tiles"] == []
    go.set()
    thread.join(60)


def test_a_picture_becomes_a_map(client: FlaskClient, cube: str) -> None:
    grey = encode_png(np.full((32, 32), 30000, np.uint16), 16)
    state = client.post(
        f"/api/projects/{cube}/maps/wood/thickness/picture", data={"file": (io.BytesIO(grey), "t.png")}, content_type="multipart/form-data"
    ).json
    assert state["document"]["sheets"][0]["mesh_maps"][0]["source"] == "picture"
    oblong = encode_png(np.zeros((16, 32), np.uint16), 16)
    answer = client.post(
        f"/api/projects/{cube}/maps/wood/thickness/picture", data={"file": (io.BytesIO(oblong), "t.png")}, content_type="multipart/form-data"
    )
    assert answer.status_code == 400
    assert "32 × 16" in answer.json["error"]


@pytest.mark.parametrize(
    ("body", "says"),
    [
        ({"maps": []}, "maps"),
        ({"maps": ["sheen"]}, "sheen"),
        ({"maps": ["occlusion"], "settings": {"rays": 1e9}}, "rays"),
        ({"maps": ["facing"], "settings": {"facing": [0, 0, 0]}}, "facing"),
        ({"maps": ["occlusion"], "sheets": ["../up"]}, "sheets"),
        ({"maps": ["occlusion"], "sheets": ["roof"]}, "roof"),
        ({"maps": ["occlusion"], "extra": 1}, "extra"),
    ],
)
def test_wrong_requests_have_words_and_change_nothing(client: FlaskClient, studio: Studio, cube: str, body: dict[str, object], says: str) -> None:
    answer = client.post(f"/api/projects/{cube}/bake", json=body)
    told = answer.json["error"] if answer.status_code != 200 else finish(client, answer)["error"]
    assert says in str(told)
    assert studio.session(cube).store.head == 0


def test_no_file_and_no_map_have_words(client: FlaskClient, cube: str) -> None:
    for path in ("high", "maps/wood/thickness/picture"):
        answer = client.post(f"/api/projects/{cube}/{path}", data={}, content_type="multipart/form-data")
        assert answer.status_code == 400
        assert "Choose" in answer.json["error"]
    answer = client.post(f"/api/projects/{cube}/maps/wood/occlusion/touch-up", json={"revision": 1, "on": True})
    assert answer.status_code == 404


def test_unwrap_and_place_over_http(client: FlaskClient, cube: str) -> None:
    before = client.get(f"/api/projects/{cube}").json
    job = finish(client, client.post(f"/api/projects/{cube}/unwrap", json={"resolution": 256}))
    assert job["state"] == "done"
    state = client.get(f"/api/projects/{cube}").json
    assert state["model"] != before["model"]
    found = client.post(f"/api/projects/{cube}/probe", json={"sheet": "wood", "x": 60, "y": 200, "island": True}).json
    placed = client.post(
        f"/api/projects/{cube}/islands", json={"revision": state["revision"], "placement": {"islands": [0], "scale": 0.5, "turn": 90}}
    ).json
    assert placed["model"] != state["model"]
    assert found["hit"] is False or len(found["faces"]) >= 1
    assert finish(client, client.post(f"/api/projects/{cube}/pack", json={}))["state"] == "done"
    answer = client.post(f"/api/projects/{cube}/islands", json={"revision": placed["revision"] + 1, "placement": {"islands": [0], "move": [1.9, 0]}})
    assert answer.status_code == 400
    assert "leave the sheet" in answer.json["error"]
