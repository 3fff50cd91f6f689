"""Another mesh under the paint, trips measured and flattened, groups and stairs, over HTTP."""

from __future__ import annotations

import io

from flask.testing import FlaskClient

from tests.meshes import globe
from tests.studio.test_exchange import obj_of, shuffled
from tests.web.test_api import finish, upload


def test_paint_under_another_mesh_over_http(client: FlaskClient) -> None:
    model = globe(16, 8)
    uid = upload(client, ("ball.obj", obj_of(model, model.uv_layouts[0])), resolution="256")["result"]["project"]  # type: ignore[index]
    url = f"/api/projects/{uid}"
    state = client.get(url).json
    sheet = state["document"]["sheets"][0]["id"]
    assert client.post(f"{url}/vertex-paint", json={"revision": state["revision"], "parts": [9]}).status_code == 400
    state = client.post(f"{url}/vertex-paint", json={"revision": state["revision"], "parts": [0]}).json
    assert state["document"]["sheets"][1]["parts"] == []
    red = {"values": {"base_color": [1.0, 0.0, 0.0]}}
    body = {"target": {"sheet": sheet, "layer": "l2", "channels": ["base_color"]}, "paint": red, "picks": None, "strength": 1.0}
    state = client.post(f"{url}/flood", json={**body, "revision": state["revision"]}).json
    trip = {"from_sheet": sheet, "to_sheet": "vertices"}
    told = finish(client, client.post(f"{url}/transfer/preview", json=trip))["result"]
    assert told == {"share": 0.0, "worst": 0.0, "faces": []}
    layer = finish(client, client.post(f"{url}/transfer", json={**trip, "flat": True}))["result"]["layer"]  # type: ignore[index]
    state = client.get(url).json
    assert state["document"]["sheets"][1]["layers"][0]["id"] == layer
    assert client.get(f"{url}/stairs/vertices").json == {"count": 0, "faces": []}
    assert client.get(f"{url}/stairs/{sheet}").status_code == 400
    wanted = {"sheet": "vertices", "colour": [1.0, 0.0, 0.0], "name": "All of it", "revision": state["revision"]}
    state = client.post(f"{url}/colour-groups", json=wanted).json
    assert state["document"]["face_sets"][0]["name"] == "All of it"
    assert client.post(f"{url}/colour-groups", json={**wanted, "colour": [0, 0, 1], "revision": state["revision"]}).status_code == 400
    picks = state["document"]["face_sets"][0]["picks"]
    assert client.get(f"{url}/hidden-faces").json == {"runs": []}
    assert client.post(f"{url}/hidden", json={"parts": [], "hidden": picks}).status_code == 400
    some = [{"by": "face", "index": i} for i in (3, 4, 5, 9)]
    assert client.post(f"{url}/hidden", json={"parts": [], "hidden": some}).status_code == 200
    assert client.get(f"{url}/hidden-faces").json == {"runs": [3, 3, 9, 1]}
    assert client.post(f"{url}/hidden", json={"parts": []}).status_code == 200
    other, _ = shuffled(model)
    files = {"file": (io.BytesIO(obj_of(other, other.uv_layouts[0])), "other.obj")}
    found = finish(client, client.post(f"{url}/mesh", data=files))["result"]
    assert (found["relation"], found["lost"], found["dropped"]) == ("shape", 0, [])  # type: ignore[index]
    assert client.get(f"{url}/model").json["faces"] == other.face_count
    files = {"file": (io.BytesIO(b"not a mesh"), "other.obj")}
    broken = finish(client, client.post(f"{url}/mesh", data=files))
    assert broken["state"] == "failed"
    assert client.get(f"{url}/model").json["faces"] == other.face_count
