"""Forty thousand requests that are half right: none is answered with a crash, and the project can be opened afterwards."""

from __future__ import annotations

import copy
import json
import math
import random
from typing import Any

import pytest

from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
from ruvelt.web.app import create_app
from tests.meshes import CUBE_MTL, cube_obj
from tests.studio.test_wholeness import EDITS, leaves
from tests.web.test_api import BRUSH, CAMERA, RED, TARGET

pytestmark = pytest.mark.slow
REQUESTS = 40_000
ODD: list[Any] = [
    None,
    True,
    0,
    -1,
    1,
    2**31,
    2**53,
    2**63,
    2**70,
    0.5,
    1e300,
    math.nan,
    math.inf,
    "",
    "x",
    "wood",
    "l1",
    "../..",
    "\0",
    [],
    {},
    [[]],
    [0] * 300,
]
BODIES: list[tuple[str, str, Any]] = [
    *(("post", "edit", {"revision": None, "label": "x", "edit": e}) for e in EDITS),
    ("post", "display", {"sheet": "wood", "textures": ["colour", "normal"], "have": {"colour": ["0" * 16]}}),
    ("post", "display", {"sheet": "iron", "textures": ["channel:mask:l1"], "camera": CAMERA}),
    ("post", "flood", {"revision": None, "target": TARGET, "paint": RED, "picks": [{"by": "face", "index": 2}], "strength": 0.5}),
    (
        "post",
        "stroke",
        {
            "stroke": "s",
            "begin": {"revision": None, "target": TARGET, "brush": BRUSH, "paint": RED, "camera": CAMERA},
            "points": [{"x": 90, "y": 90}, {"x": 120, "y": 100}],
            "end": True,
        },
    ),
    ("post", "probe", {"x": 100, "y": 100, "camera": CAMERA, "values": True, "island": True}),
    ("post", "lasso", {"camera": CAMERA, "outline": [[10, 10], [190, 10], [100, 190]]}),
    ("post", "hidden", {"parts": [0]}),
    ("post", "undo", {}),
    ("post", "redo", {}),
    ("post", "duplicate", {"revision": None, "sheet": "wood", "layer": "l1"}),
    ("post", "versions", {"name": "V"}),
    ("post", "versions/1/restore", {}),
    ("post", "keep-undo", {"steps": 40}),
    ("post", "copy-mask", {"revision": None, "sheet": "wood", "source": "l1", "layer": "l2"}),
    ("post", "mask-pictures", {"sheet": "wood", "layer": "l1"}),
    ("post", "seams", {"revision": None, "x": 100, "y": 100, "camera": CAMERA}),
    ("post", "islands", {"revision": None, "placement": {"islands": [0], "move": [0.01, 0]}}),
    ("post", "bake/arrived", {"sheet": "wood", "map": "normal"}),
    ("post", "bake/estimate", {"maps": ["position"], "source": "model"}),
    ("post", "replay", {"format": "ruvelt-strokes", "version": 1, "steps": [{"do": "target", "layer": "Paint"}, {"do": "undo"}]}),
    ("get", "history", None),
    ("get", "model", None),
    ("get", "geometry/wood", None),
    ("get", "cells/wood", None),
    ("get", "unpainted/wood", None),
    ("get", "card.jpg", None),
]


def test_forty_thousand_requests(tmp_path) -> None:  # type: ignore[no-untyped-def]
    studio = Studio(tmp_path, Limits(memory_bytes=512 << 20, threads=2))
    uid = studio.create(cube_obj(), "cube.obj", resolution=256, companions={"cube.mtl": CUBE_MTL})
    chance = random.Random(7)
    answered: dict[int, int] = {}
    with create_app(studio).test_client() as client:
        for number in range(REQUESTS):
            method, route, body = chance.choice(BODIES)
            if route == "card.jpg" and chance.random() < 0.95:
                continue  # each takes a second, for the project changes all the time
            content = json.loads(json.dumps(body))
            if isinstance(content, dict) and "revision" in content:
                content["revision"] = studio.session(uid).revision
            if isinstance(content, dict) and content.get("begin"):
                content["begin"]["revision"] = studio.session(uid).revision
                content["stroke"] = f"s{number}"
            for _ in range(chance.choice([0, 1, 1, 2])):
                places = leaves(content)
                if places:
                    path = chance.choice(places)
                    at = content
                    for key in path[:-1]:
                        at = at[key]
                    at[path[-1]] = copy.deepcopy(chance.choice(ODD))
            data = None if content is None else json.dumps(content).encode()
            if data and chance.random() < 0.03:
                data = data[: chance.randrange(len(data))]
            answer = getattr(client, method)(f"/api/projects/{uid}/{route}", data=data, content_type="application/json")
            answered[answer.status_code] = answered.get(answer.status_code, 0) + 1
            assert answer.status_code < 500, (route, content, answer.data[:300])
            if number % 2000 == 1999:
                client.post(f"/api/projects/{uid}/undo", json={})
                studio.release(uid)
                for open_now in studio.pool.open_now():
                    studio.pool.close(open_now)
                assert client.get(f"/api/projects/{uid}").status_code == 200
    print(f"\n{answered}")
    assert answered[200] > REQUESTS / 10
    studio.close()
