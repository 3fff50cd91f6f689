"""GLB exports: valid by the reference validator, and read back with the same surface and pixels."""

from __future__ import annotations

import io
import json
import struct
import subprocess
from pathlib import Path

import numpy as np
import pytest
from numpy.testing import assert_allclose, assert_array_equal
from PIL import Image

from ruvelt.core.mesh.rays import RayCaster
from ruvelt.core.mesh.readers import read_mesh
from ruvelt.core.output.glb import build_glb
from ruvelt.core.output.mapset import Look
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.output.preview import card_camera, render
from ruvelt.core.stack.masks import Mask
from tests.core.scene import Scene, fill_layer
from tests.meshes import globe, split_square

FRONT = Path(__file__).parents[2] / "frontend"
PACKED = next(p for p in BUILT_IN if p.id == "packed-orm")
SCRIPT = """
const data = require('fs').readFileSync(0);
require('gltf-validator').validateBytes(new Uint8Array(data)).then((r) => process.stdout.write(JSON.stringify(r.issues)));
"""


def validate(glb: bytes) -> dict[str, object]:
    done = subprocess.run(["node", "-e", SCRIPT], input=glb, capture_output=True, cwd=FRONT, check=True)
    return dict(json.loads(done.stdout))


def scene_of(model: object, **values: tuple[float, ...]) -> Scene:
    return Scene(model, (fill_layer("f", {"base_color": (0.8, 0.4, 0.2), **values}),))  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("model", "values"),
    [(globe(24, 12), {}), (split_square(), {"opacity": (0.4,), "emission": (0.0, 0.5, 1.0)})],
    ids=["opaque", "clear and glowing"],
)
def test_the_reference_validator_finds_nothing(model: object, values: dict[str, tuple[float, ...]]) -> None:
    issues = validate(build_glb([Look([scene_of(model, **values).display])], PACKED))
    assert issues["numErrors"] == 0, issues
    assert issues["numWarnings"] == 0, issues


def parts_of(glb: bytes) -> tuple[dict[str, object], bytes]:
    length = struct.unpack_from("<I", glb, 12)[0]
    return json.loads(glb[20 : 20 + length]), glb[28 + length :]


def test_maps_are_wired_where_gltf_wants_them() -> None:
    """What is even all over is a factor; once something varies, the pictures hold it where glTF looks for it."""
    document, _ = parts_of(build_glb([Look([scene_of(split_square(), roughness=(0.25,), metallic=(0.75,)).display])], PACKED))
    material = document["materials"][0]  # type: ignore[index]
    assert "alphaMode" not in material
    assert set(material) == {"name", "pbrMetallicRoughness"}
    pbr = material["pbrMetallicRoughness"]
    assert_allclose(pbr["baseColorFactor"], [((c + 0.055) / 1.055) ** 2.4 for c in (0.8, 0.4, 0.2)] + [1], atol=1e-4)
    assert (pbr["roughnessFactor"], pbr["metallicFactor"]) == (pytest.approx(0.25, abs=1e-4), pytest.approx(0.75, abs=1e-4))
    halves = {"sources": [{"kind": "position", "id": "m", "along": (1, 0, 0), "low": 0.49, "high": 0.51}]}
    values = {"base_color": (1.0, 0.2, 0.0), "roughness": (1.0,), "metallic": (0.0,), "occlusion": (0.5,), "emission": (0.0, 1.0, 0.0)}
    over = fill_layer("g", values).model_copy(update={"mask": Mask.model_validate(halves)})
    scene = Scene(split_square(), (over, fill_layer("f", {"base_color": (0.8, 0.4, 0.2), "roughness": (0.25,), "metallic": (0.75,)})))
    glb = build_glb([Look([scene.display])], PACKED)
    document, body = parts_of(glb)
    material = document["materials"][0]  # type: ignore[index]

    def picture(slot: dict[str, int]) -> np.ndarray:
        source = document["textures"][slot["index"]]["source"]  # type: ignore[index]
        view = document["bufferViews"][document["images"][source]["bufferView"]]  # type: ignore[index]
        return np.asarray(Image.open(io.BytesIO(body[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])))

    orm = picture(material["pbrMetallicRoughness"]["metallicRoughnessTexture"])
    assert material["occlusionTexture"] == material["pbrMetallicRoughness"]["metallicRoughnessTexture"]
    seen = {tuple(v) for v in orm.reshape(-1, 3)}
    assert {(255, 64, 191), (128, 255, 0)} <= seen
    assert {(204, 102, 51), (255, 51, 0)} <= {tuple(v) for v in picture(material["pbrMetallicRoughness"]["baseColorTexture"]).reshape(-1, 3)}
    assert material["emissiveFactor"] == [1, 1, 1]
    assert {(0, 0, 0), (0, 255, 0)} <= {tuple(v) for v in picture(material["emissiveTexture"]).reshape(-1, 3)}


def test_opacity_makes_the_material_clear() -> None:
    document, _ = parts_of(build_glb([Look([scene_of(split_square(), opacity=(0.4,)).display])], PACKED))
    assert document["materials"][0]["alphaMode"] == "BLEND"  # type: ignore[index]


def test_our_reader_reads_it_back() -> None:
    model = globe(24, 12)
    again = read_mesh(build_glb([Look([scene_of(model).display])], PACKED), "b.glb")
    assert len(again.triangles) == len(model.triangles)
    assert_allclose(again.positions[again.triangles], model.positions[model.triangles], atol=1e-6)
    uv = again.uv_layouts[0].uvs[again.uv_layouts[0].corner_uv[again.triangle_corners]]
    wanted = model.uv_layouts[0].uvs[model.uv_layouts[0].corner_uv[model.triangle_corners]]
    assert_allclose(uv, wanted, atol=1e-6)


def test_the_same_bytes_twice() -> None:
    assert build_glb([Look([scene_of(split_square()).display])], PACKED) == build_glb([Look([scene_of(split_square()).display])], PACKED)


def test_the_card_shows_the_painted_colour() -> None:
    """A red ball on the card: red where the light falls, and the ground around it left grey."""
    model = globe(48, 24)
    picture = render(
        model, [Scene(model, (fill_layer("f", {"base_color": (0.9, 0.05, 0.05)}),)).display], RayCaster(model), card_camera(model, 96, 64)
    )
    assert picture.shape == (64, 96, 3)
    middle, corner = picture[28, 44].astype(int), picture[2, 2].astype(int)
    assert middle[0] > 2 * middle[1]
    assert np.ptp(corner) <= 1
    again = render(model, [Scene(model, (fill_layer("f", {"base_color": (0.9, 0.05, 0.05)}),)).display], RayCaster(model), card_camera(model, 96, 64))
    assert_array_equal(picture, again)


def test_the_card_cuts_out_what_a_mask_cuts_out() -> None:
    """A ball of opacity 0.3: let through where it blends, gone below the limit of a mask, whole where opacity is ignored."""
    model = globe(48, 24)
    seen = {}
    for mode in ("blend", "mask", "opaque"):
        scene = Scene(model, (fill_layer("f", {"base_color": (0.9, 0.05, 0.05), "opacity": (0.3,)}),))
        sheet = scene.document.sheets[0].model_copy(update={"alpha_mode": mode})
        scene.document = scene.document.model_copy(update={"sheets": (sheet,)})
        picture = render(model, [scene.display], RayCaster(model), card_camera(model, 48, 32))
        seen[mode] = picture[14, 22].astype(int)
    assert seen["opaque"][0] > seen["blend"][0] > seen["blend"][1]
    assert seen["opaque"][0] > 2 * seen["opaque"][1]
    assert np.ptp(seen["mask"]) <= 40
