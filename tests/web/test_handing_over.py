"""Exports, presets and checks over HTTP."""

from __future__ import annotations

import io
from urllib.parse import unquote

import numpy as np
import pytest
from flask.testing import FlaskClient

from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.output.writer import About, writer_of
from ruvelt.studio.studio import Studio
from tests.web.test_api import finish

PRESET = next(p for p in BUILT_IN if p.id == "separate-maps").model_dump(mode="json")


@pytest.fixture
def url(cube: str) -> str:
    return f"/api/projects/{cube}"


def test_an_export_is_planned_written_and_repeated(client: FlaskClient, url: str, studio: Studio, cube: str) -> None:
    assert client.get(f"{url}/exports/last").json == {"last": None}
    assert client.post(f"{url}/exports/last", json={}).status_code == 404
    plan = client.post(f"{url}/export-plan", json={"preset": PRESET}).json
    assert len(plan["files"]) == 2 * len(PRESET["maps"])  # type: ignore[index]
    assert {"sheet": "wood", "map": "emission"} in plan["silent"]  # type: ignore[index]
    job = finish(client, client.post(f"{url}/exports", json={"preset": PRESET, "maps": ["base_color", "roughness"]}))
    assert sorted(job["result"]["changed"]) == sorted(f["name"] for f in job["result"]["files"])  # type: ignore[index]
    last = client.get(f"{url}/exports/last").json["last"]  # type: ignore[index]
    assert last["preset"] == "Separate maps"
    again = finish(client, client.post(f"{url}/exports/last", json={}))
    assert again["result"]["changed"] == []  # type: ignore[index]
    assert again["result"]["folder"] == last["folder"]  # type: ignore[index]
    # A wish that was broken on disk is as good as none.
    (studio.exports_of(cube) / "last.json").write_text("{")
    assert client.get(f"{url}/exports/last").json == {"last": None}


def test_checks_find_and_mend(client: FlaskClient, url: str) -> None:
    assert {c["id"] for c in client.get("/api/checks").json["checks"]} >= {"unpainted", "visible-seams", "alpha-sorting"}  # type: ignore[index]
    job = finish(client, client.post(f"{url}/checks", json={"preset": {**PRESET, "padding": 1}}))
    found = client.get(f"/api/jobs/{job['id']}/findings").json["findings"]  # type: ignore[index]
    thin = next(f for f in found if f["check"] == "thin-padding")
    assert thin["level"] == "warns"
    assert thin["mend"]["id"] == "pad"
    assert thin["faces"]
    assert client.get("/api/jobs/abcdefabcdef/findings").status_code == 404
    assert client.post(f"{url}/checks", json={"preset": PRESET, "checks": ["dust"]}).status_code in (200, 404)
    assert client.post(f"{url}/mends", json={"mend": "cut-out", "sheet": "wood"}).json["document"]["sheets"][0]["alpha_mode"] == "mask"  # type: ignore[index]
    assert client.post(f"{url}/mends", json={"mend": "soften", "sheet": "wood", "channel": "base_color"}).status_code == 400
    assert client.post(f"{url}/mends", json={"mend": "soften", "sheet": "wood", "channel": "dust"}).status_code == 404
    assert client.post(f"{url}/mends", json={"mend": "clamp", "sheet": "lid"}).status_code == 404
    assert client.post(f"{url}/mends", json={"mend": "wash", "sheet": "wood"}).status_code == 400


def test_what_a_picture_says_of_its_colours_is_told(client: FlaskClient, url: str) -> None:
    light = np.random.default_rng(0).random((32, 32, 3)).astype(np.float32)
    form = {"file": (io.BytesIO(writer_of("exr").encode(light, 16, About("linear"))), "sky.exr")}
    answer = client.post(f"{url}/images", data=form)
    assert answer.status_code == 200
    assert "linear light" in unquote(answer.headers["Ruvelt-Told"])
    plain = {"file": (io.BytesIO(writer_of("png").encode(np.zeros((8, 8), np.uint16), 8)), "a.png")}
    assert "Ruvelt-Told" not in client.post(f"{url}/images", data=plain).headers
