"""Shapes, lasso, kept face groups, tips and gradients over HTTP, and how they can be wrong."""

from __future__ import annotations

import io
from pathlib import Path

import numpy as np
import pytest
from flask.testing import FlaskClient
from PIL import Image

from ruvelt.core.output.images import encode_png
from tests.web.test_api import BRUSH, CAMERA, RED, TARGET, unpack

PAGES = Path(__file__).parents[2] / "docs" / "artists" / "tools"


def begun(client: FlaskClient, uid: str, **more: object) -> dict[str, object]:
    revision = client.get(f"/api/projects/{uid}/revision").json["revision"]
    return {"revision": revision, "target": TARGET, "brush": BRUSH, "paint": RED, "camera": CAMERA, "textures": ["colour"], **more}


def colour_at(client: FlaskClient, uid: str, x: float, y: float) -> list[float]:
    at = {"camera": CAMERA, "x": x, "y": y, "values": True}
    return list(client.post(f"/api/projects/{uid}/probe", json=at).json["values"]["base_color"])


LINE = {"kind": "line", "surface": [[-0.5, 0, 1], [0.5, 0, 1]], "camera": CAMERA}


def test_a_line_is_laid_anew_with_every_change_and_stored_once(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}/stroke"
    before = colour_at(client, cube, 100, 60)
    first, _ = unpack(
        client.post(url, json={"stroke": "a", "begin": begun(client, cube), "shape": {**LINE, "surface": [[-0.5, 0.6, 1], [0.5, 0.6, 1]]}}).data
    )
    assert first["dabs"] > 1
    assert first["stored"] is False
    moved, body = unpack(client.post(url, json={"stroke": "a", "begin": begun(client, cube), "shape": LINE}).data)
    # What the first one covered comes back: the patches reach over both.
    patch = moved["patches"][0]
    rgba = np.frombuffer(body, np.uint8, patch["length"], patch["offset"]).reshape(patch["height"], patch["width"], 4)
    assert ((rgba[..., 0] == 255) & (rgba[..., 1] == 0)).any()
    assert (rgba[..., 1] > 60).any()
    end, _ = unpack(client.post(url, json={"stroke": "a", "end": True}).data)
    assert end["stored"] is True
    assert colour_at(client, cube, 100, 100) == [1.0, 0.0, 0.0]
    assert colour_at(client, cube, 100, 60) == before
    assert client.get(f"/api/projects/{cube}").json["head"] == 1


def test_another_brush_may_come_with_a_shape_and_cancel_leaves_nothing(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}/stroke"
    before = colour_at(client, cube, 100, 100)
    client.post(url, json={"stroke": "a", "begin": begun(client, cube), "shape": LINE})
    row = {**LINE, "row": {"count": 3}}
    laid, _ = unpack(
        client.post(url, json={"stroke": "a", "begin": begun(client, cube, brush={**BRUSH, "size": 12, "tips": ["rivet"]}), "shape": row}).data
    )
    assert laid["dabs"] == 3
    client.post(url, json={"stroke": "a", "cancel": True})
    assert colour_at(client, cube, 100, 100) == before
    assert client.post(url, json={"stroke": "a", "end": True}).status_code == 404


def test_snapped_points_come_back(client: FlaskClient, cube: str) -> None:
    shape = {**LINE, "surface": [[-0.5, 0.95, 1], [0.5, 0.95, 1]], "snap": True}
    told, _ = unpack(client.post(f"/api/projects/{cube}/stroke", json={"stroke": "a", "begin": begun(client, cube), "shape": shape}).data)
    assert [round(p[1], 5) for p in told["shape"]] == [1.0, 1.0]


@pytest.mark.parametrize(
    ("shape", "word"),
    [
        ({"kind": "stamp", "surface": [[0, 0, 1]]}, "two points"),
        ({"kind": "line", "surface": [[0, 0, 1], [1, 0, 1]], "filled": True}, "closed"),
        ({"kind": "spiral", "surface": [[0, 0, 1]]}, "line"),
        ({"kind": "line", "surface": [[0, 0, 1]] * 300}, "200"),
        ({"kind": "line"}, "surface"),
    ],
)
def test_wrong_shapes_say_what_is_wrong(client: FlaskClient, cube: str, shape: dict[str, object], word: str) -> None:
    answer = client.post(f"/api/projects/{cube}/stroke", json={"stroke": "a", "begin": begun(client, cube), "shape": shape})
    assert answer.status_code == 400
    assert word in answer.json["error"]
    assert client.get(f"/api/projects/{cube}").json["head"] == 0


def test_an_unknown_tip_and_a_zero_size_are_refused_in_words(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}/stroke"
    points = [{"x": 100, "y": 100}]
    gone = client.post(url, json={"stroke": "a", "begin": begun(client, cube, brush={**BRUSH, "tips": ["quill"]}), "points": points})
    assert (gone.status_code, "no tip 'quill'" in gone.json["error"]) == (404, True)
    gone = client.post(url, json={"stroke": "a", "begin": begun(client, cube, brush={**BRUSH, "tips": ["image:nope"]}), "points": points})
    assert (gone.status_code, "gone from the project" in gone.json["error"]) == (404, True)
    for brush in ({**BRUSH, "size": 0}, {**BRUSH, "tips": ["../etc"]}, {**BRUSH, "size": 1e9}, {**BRUSH, "spray": 10_000}):
        assert client.post(url, json={"stroke": "a", "begin": begun(client, cube, brush=brush), "points": points}).status_code == 400
    broken = client.post(url, data=b'{"stroke": "a", "points": [{"x": NaN, "y": 1}]}', content_type="application/json")
    assert broken.status_code == 400
    assert client.get(f"/api/projects/{cube}").json["head"] == 0


def test_a_picture_brought_in_is_a_tip(client: FlaskClient, cube: str) -> None:
    picture = np.zeros((64, 64, 4), np.uint16)
    picture[..., 3] = 65535
    picture[:, 32:, :3] = 65535
    form = {"file": (io.BytesIO(encode_png(picture, 16)), "half.png")}
    key = client.post(f"/api/projects/{cube}/images", data=form, content_type="multipart/form-data").json["image"]
    brush = {**BRUSH, "size": 120, "tips": [f"image:{key}"], "build": "level"}
    before = colour_at(client, cube, 85, 100)
    client.post(
        f"/api/projects/{cube}/stroke", json={"stroke": "a", "begin": begun(client, cube, brush=brush), "points": [{"x": 100, "y": 100}], "end": True}
    )
    assert colour_at(client, cube, 115, 100) == [1.0, 0.0, 0.0]
    assert colour_at(client, cube, 85, 100) == before


def test_a_lasso_picks_what_shows_or_all_behind_and_names_it_shortly(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}/lasso"
    around = [[5, 5], [195, 5], [195, 195], [5, 195]]
    front = client.post(url, json={"camera": CAMERA, "outline": around}).json
    assert len(front["faces"]) == 1
    whole = client.post(url, json={"camera": CAMERA, "outline": around, "behind": True}).json
    assert len(whole["faces"]) == 6
    # The whole cube is its two parts, not six faces.
    assert sorted((p["by"], p["index"]) for p in whole["picks"]) == [("part", 0), ("part", 1)]
    assert client.post(url, json={"camera": CAMERA, "outline": [[0, 0], [1, 0], [0, 1]]}).json == {"picks": [], "faces": []}
    flat = client.post(url, json={"sheet": "wood", "outline": [[0, 0], [256, 0], [256, 256], [0, 256]]}).json
    assert len(flat["faces"]) == 4
    assert client.post(url, json={"camera": CAMERA, "outline": [[0, 0], [1, 1]]}).status_code == 400
    assert client.post(url, json={"outline": around}).status_code == 400
    assert client.post(url, json={"sheet": "none", "outline": around}).status_code == 404


def test_face_groups_are_kept_replaced_and_undone(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}"

    def put(*sets: dict[str, object]) -> int:
        revision = client.get(f"{url}/revision").json["revision"]
        edit = {"edit": "set-face-sets", "face_sets": list(sets)}
        return int(client.post(f"{url}/edit", json={"revision": revision, "label": "Keep", "edit": edit}).status_code)

    lid = {"id": "f1", "name": "Lid", "picks": [{"by": "face", "index": 3}]}
    assert put(lid) == 200
    assert client.get(url).json["document"]["face_sets"] == [lid]
    assert put(lid, lid) == 400
    client.post(f"{url}/undo", json={})
    assert client.get(url).json["document"]["face_sets"] == []


def test_a_gradient_flood_and_a_blend_mode(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}/flood"
    paint = {"values": {"base_color": [1, 0, 0]}, "second": {"base_color": [0, 0, 1]}}
    gradient = {"start": [0, -1, 1], "end": [0, 1, 1]}
    revision = client.get(f"/api/projects/{cube}/revision").json["revision"]
    answer = client.post(url, json={"revision": revision, "target": TARGET, "paint": paint, "gradient": gradient})
    assert answer.status_code == 200
    middle = colour_at(client, cube, 100, 100)
    assert middle == pytest.approx([0.5, 0, 0.5], abs=0.02)
    half = {"values": {"base_color": [0.5, 0.5, 0.5]}, "blend": "multiply"}
    client.post(url, json={"revision": answer.json["revision"], "target": TARGET, "paint": half})
    assert colour_at(client, cube, 100, 100) == pytest.approx([0.25, 0, 0.25], abs=0.02)
    assert client.post(url, json={"revision": 0, "target": TARGET, "paint": {"blend": "sideways"}}).status_code == 400


def test_the_library_comes_with_pictures(client: FlaskClient) -> None:
    told = client.get("/api/registries").json
    assert {"rivet", "sponge", "stitch"} <= {t["id"] for t in told["tips"]}
    assert {"grit", "canvas"} <= {g["id"] for g in told["grains"]}
    assert all(t["picture"].startswith("data:image/png;base64,") for t in (*told["tips"], *told["grains"]))
    assert {p["section"] for p in told["brush_parameters"]} == {"stroke", "scatter", "colour", "limits"}


@pytest.mark.parametrize("tool", ["brush", "tips", "lines", "stamp", "erase", "soften", "smear", "clone", "tone", "fill", "confine", "mirror"])
def test_each_tool_has_its_page_with_a_picture(tool: str) -> None:
    text = (PAGES / f"{tool}.md").read_text("utf-8")
    assert f"]({tool}.png)" in text
    picture = np.asarray(Image.open(PAGES / f"{tool}.png").convert("RGB"))
    assert picture.shape == (360, 560, 3)
    assert len(np.unique(picture.reshape(-1, 3), axis=0)) > 5000
    assert f"({tool}.md)" in (PAGES / "README.md").read_text("utf-8")
