"""Requests and disks that mean no good: every answer is in words, none is a crash, and nothing is said to be stored that is not."""

from __future__ import annotations

import errno
import io
import json
from pathlib import Path
from typing import Any

import pytest
from flask.testing import FlaskClient
from sqlalchemy import event

from ruvelt.studio.studio import Studio
from tests.web.test_api import BRUSH, CAMERA, RED, TARGET, finish, unpack


def edit(values: str) -> bytes:
    return b'{"revision": 1, "label": "x", "edit": {"edit": "set-settings", "values": ' + values.encode() + b"}}"


@pytest.mark.parametrize(
    "values",
    [
        '{"swatches": [[NaN, 0, 0]]}',
        '{"swatches": [[Infinity, 0, 0]]}',
        '{"swatches": [[1e999, 0, 0]]}',
        '{"height_range": -Infinity}',
        "[" * 50_000 + "]" * 50_000,
        '{"a":' * 50_000 + "1" + "}" * 50_000,
    ],
)
def test_what_is_no_json_number_does_not_come_in(client: FlaskClient, studio: Studio, cube: str, values: str) -> None:
    answer = client.post(f"/api/projects/{cube}/edit", data=edit(values), content_type="application/json")
    assert answer.status_code == 400
    assert answer.json["error"]
    for uid in studio.pool.open_now():
        assert studio.pool.close(uid)
    assert client.get(f"/api/projects/{cube}").json["revision"] == 1


@pytest.mark.parametrize("number", [2**53 + 1, 2**63, 2**64, 10**400, -1], ids=["2^53+1", "2^63", "2^64", "10^400", "-1"])
def test_numbers_too_large_to_be_stored(client: FlaskClient, cube: str, number: int) -> None:
    url = f"/api/projects/{cube}"
    assert client.post(f"{url}/versions/{number}/restore", json={}).status_code in (400, 404, 405)
    assert client.get(f"{url}/script?since={number}").status_code == 400
    for route, body in (
        ("undo", {"revision": number}),
        ("hidden", {"parts": [number]}),
        ("resolution", {"sheet": "wood", "resolution": number}),
        ("edit", {"revision": 1, "label": "x", "edit": {"edit": "set-seams", "seams": [[0, number]]}}),
        ("edit", {"revision": 1, "label": "x", "edit": {"edit": "remove-layer", "sheet": "wood", "layer": "l1", "index": number}}),
        ("bake/arrived", {"sheet": "wood", "map": "normal", "after": number}),
    ):
        answer = client.post(f"{url}/{route}", data=json.dumps(body), content_type="application/json")
        assert 400 <= answer.status_code < 500, (route, answer.json)


@pytest.mark.parametrize("path", ["a" * 5000, "a/" * 2500, "%00", "..%2f" * 50 + "etc/passwd", "api/" + "x" * 5000, "assets/" + "é" * 300])
def test_paths_that_no_disk_has(client: FlaskClient, path: str) -> None:
    assert client.get("/" + path).status_code in (200, 400, 404)
    assert client.get("/api/projects/" + path).status_code in (400, 404)
    assert b"root:" not in client.get("/" + path).data


# -- disks ----------------------------------------------------------------------------------------------------------------------

CHANGES: list[tuple[str, str, dict[str, Any]]] = [
    ("post", "edit", {"revision": 1, "label": "x", "edit": {"edit": "set-layer", "sheet": "wood", "layer": "l2", "values": {"name": "N" * 80}}}),
    ("post", "flood", {"revision": 1, "target": TARGET, "paint": RED}),
    ("post", "hidden", {"parts": [1]}),
    ("post", "versions", {"name": "Base"}),
    ("post", "duplicate", {"revision": 1, "sheet": "wood", "layer": "l2"}),
    ("post", "keep-undo", {"steps": 20}),
    ("patch", "", {"name": "N" * 80}),
    (
        "post",
        "stroke",
        {
            "stroke": "s",
            "begin": {"revision": 1, "target": TARGET, "brush": BRUSH, "paint": RED, "camera": CAMERA},
            "points": [{"x": 100, "y": 100}],
            "end": True,
        },
    ),
]


def fill_up(studio: Studio, uid: str) -> None:
    """No page more for the project's file."""
    engine = studio.session(uid).store.engine
    engine.dispose()

    @event.listens_for(engine, "connect")
    def _full(connection: Any, record: Any) -> None:
        connection.execute("PRAGMA wal_autocheckpoint=0")
        connection.execute("PRAGMA max_page_count=1")


@pytest.mark.parametrize(("method", "route", "body"), CHANGES)
def test_a_full_disk_is_told_in_words_and_nothing_is_called_stored(
    client: FlaskClient, studio: Studio, cube: str, method: str, route: str, body: dict[str, Any]
) -> None:
    url = f"/api/projects/{cube}"
    # One blob that does not fit what is free in the file.
    big = {"edit": "set-face-sets", "face_sets": [{"id": "s", "name": "S", "picks": [{"by": "face", "index": i} for i in range(3000)]}]}
    if route in ("hidden", "keep-undo", "", "versions", "edit"):
        assert client.post(f"{url}/edit", json={"revision": 1, "label": "x", "edit": big}).status_code == 200
        body = {**body, "revision": 2} if "revision" in body else body
    fill_up(studio, cube)
    before = client.get(url).json
    answer = getattr(client, method)(f"{url}/{route}".rstrip("/"), json=body)
    if answer.status_code == 200 and route in ("hidden", "keep-undo", ""):
        return  # it fitted into the page that it changes
    assert answer.status_code == 507, answer.data[:300]
    assert "disk is full" in answer.json["error"]
    after = client.get(url).json
    assert {k: v for k, v in after.items() if k != "updated_at"} == {k: v for k, v in before.items() if k != "updated_at"}


def test_a_data_folder_that_is_gone_stores_nothing(client: FlaskClient, studio: Studio, cube: str) -> None:
    url = f"/api/projects/{cube}"
    client.get(url)
    away = studio.data.with_name("away")
    studio.data.rename(away)
    for method, route, body in CHANGES:
        answer = getattr(client, method)(f"{url}/{route}".rstrip("/"), json=body)
        assert answer.status_code in (404, 507), (route, answer.data[:200])
    assert client.get("/api/projects").status_code == 507
    away.rename(studio.data)
    stroke = CHANGES[-1][2]
    header, _ = unpack(client.post(f"{url}/stroke", json=stroke).data)
    assert header["stored"] is True


@pytest.fixture
def no_room(monkeypatch: pytest.MonkeyPatch) -> None:
    """Files take nothing any more."""

    def full(self: Path, *_: Any, **__: Any) -> None:
        raise OSError(errno.ENOSPC, "No space left on device", str(self))

    for name in ("write_bytes", "write_text", "mkdir"):
        monkeypatch.setattr(Path, name, full)


def test_files_that_do_not_fit_are_told_in_words(client: FlaskClient, studio: Studio, cube: str, no_room: None) -> None:
    url = f"/api/projects/{cube}"
    preset = next(p for p in client.get("/api/presets").json["presets"] if p["id"] == "flat-colour")
    answer = client.post("/api/presets", json={**preset, "id": "mine", "name": "Mine"})
    assert (answer.status_code, "No space left" in answer.json["error"]) == (507, True)
    job = finish(client, client.post(f"{url}/exports", json={"preset": preset}))
    assert job["state"] == "failed"
    assert "No space left" in str(job["error"])
    data = {"file": (io.BytesIO(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 3\n"), "a.obj")}
    job = finish(client, client.post("/api/projects", data=data, content_type="multipart/form-data"))
    assert "No space left" in str(job["error"])
    client.get(url)
    assert client.get(f"{url}/card.jpg").status_code == 200
    assert [p.name for p in studio.projects()] == ["Crate"]


# -- exports --------------------------------------------------------------------------------------------------------------------


def test_two_exports_of_one_second_have_a_folder_each(client: FlaskClient, cube: str) -> None:
    url = f"/api/projects/{cube}"
    preset = next(p for p in client.get("/api/presets").json["presets"] if p["id"] == "flat-colour")
    begun = [client.post(f"{url}/exports", json={"preset": preset, "sheets": [sheet]}) for sheet in ("wood", "iron", "wood")]
    jobs = [finish(client, answer) for answer in begun]
    assert [job["state"] for job in jobs] == ["done"] * 3
    folders = [job["result"]["folder"] for job in jobs]  # type: ignore[index]
    assert len(set(folders)) == 3
    for folder, count in zip(folders, (2, 2, 2), strict=True):
        assert len(list(Path(folder).iterdir())) == count


def test_what_a_killed_export_left_is_swept(tmp_path: Path) -> None:
    left = tmp_path / "exports" / "abcdefabcdef" / ".Crate-1.00000000.part"
    left.mkdir(parents=True)
    (left / "writer.lock").write_text("{}")
    (left / "half.png").write_bytes(b"x")
    Studio(tmp_path).close()
    assert not left.exists()
