"""Sixteen clients in sixteen projects and four in one, against a real server: nothing fails but told conflicts, nothing is lost."""

from __future__ import annotations

import json
import time
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from tests.cli.test_cli import free_port, serving
from tests.meshes import CUBE_MTL, cube_obj
from tests.web.test_api import BRUSH, CAMERA, RED, TARGET

pytestmark = pytest.mark.slow
SECONDS = 40.0


def ask(port: int, path: str, body: object = None) -> tuple[int, bytes]:
    data = None if body is None else json.dumps(body).encode()
    request = urllib.request.Request(f"http://127.0.0.1:{port}/api{path}", data, {"Content-Type": "application/json"} if data else {})
    try:
        with urllib.request.urlopen(request, timeout=60) as answer:
            return answer.status, answer.read()
    except urllib.error.HTTPError as error:
        return error.code, error.read()


def test_sixteen_clients_and_four_in_one_project(tmp_path: Path) -> None:
    studio = Studio(tmp_path, Limits(threads=2))
    uids = [studio.create(cube_obj(), "cube.obj", name=f"Crate {i}", resolution=256, companions={"cube.mtl": CUBE_MTL}) for i in range(17)]
    studio.close()
    port = free_port()
    server = serving(tmp_path, port)
    until = time.monotonic() + SECONDS

    def paint(who: int, uid: str) -> tuple[int, int, list[int]]:
        stored = conflicts = number = 0
        other: list[int] = []
        while time.monotonic() < until:
            number += 1
            revision = json.loads(ask(port, f"/projects/{uid}/revision")[1])["revision"]
            begin = {"revision": revision, "target": TARGET, "brush": BRUSH, "paint": RED, "camera": CAMERA}
            name = f"s{who}-{number}"
            message = {"stroke": name, "begin": begin, "points": [{"x": 60 + number % 40, "y": 100}, {"x": 120, "y": 90 + number % 20}]}
            values_u16 = [ask(port, f"/projects/{uid}/stroke", message)[0]]
            if values_u16[0] == 200:
                values_u16.append(ask(port, f"/projects/{uid}/stroke", {"stroke": name, "points": [{"x": 130, "y": 110}], "end": True})[0])
            if number % 5 == 0:
                values_u16 += [ask(port, "/projects")[0], ask(port, f"/projects/{uids[number % 17]}/card.jpg")[0]]
            stored += values_u16[:2] == [200, 200]
            conflicts += values_u16[0] == 409
            other += [c for c in values_u16 if c not in (200, 409)]
        return stored, conflicts, other

    try:
        with ThreadPoolExecutor(20) as threads:
            work = [threads.submit(paint, i, uid) for i, uid in enumerate([*uids[:16], *[uids[16]] * 4])]
            results = [w.result(SECONDS + 120) for w in work]
    finally:
        server.kill()
        server.wait()
    print("\n", [r[:2] for r in results])
    assert [r[2] for r in results] == [[]] * 20
    assert all(conflicts == 0 for _, conflicts, _ in results[:16])
    studio = Studio(tmp_path, Limits(threads=2))
    for i, uid in enumerate(uids):
        stored = sum(r[0] for r in results[16:]) if i == 16 else results[i][0]
        assert studio.session(uid).store.head == stored
    studio.close()
