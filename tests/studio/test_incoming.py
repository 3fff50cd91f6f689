"""Files brought in keep what they say: against pixels, factors and trees that other libraries read, and after a trip out and in again."""

from __future__ import annotations

import io
import json
import os
import struct
import subprocess
import sys
from pathlib import Path
from typing import Any

import DracoPy
import meshopt
import numpy as np
import pytest
import trimesh
from numpy.testing import assert_allclose, assert_array_equal
from PIL import Image

from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.core.output.presets import BUILT_IN
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.document import Sheet
from ruvelt.studio.exports import export_project
from ruvelt.studio.laying import flood
from ruvelt.studio.layout import choose_uv_set, pack, unwrap_model
from ruvelt.studio.limits import Limits
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from tests.core.test_glb import validate
from tests.gltf_files import CORNERS, FACES, UVS, Glb, noise_png, plate, png

PROFILES = Path(__file__).parents[2] / "frontend/node_modules/@webxr-input-profiles/assets/dist/profiles"
#: Twelve that differ: skins, trees, folded UVs, alpha, several materials, JPEG and PNG, normal maps, occlusion, emission.
OTHERS_ALL = [
    "generic-trigger-squeeze-touchpad-thumbstick/left", "generic-hand/left", "google-daydream/none", "hp-mixed-reality/left",
    "htc-vive-focus/none", "magicleap-two/none", "oculus-go/none", "oculus-touch/left", "pico-4u/left", "samsung-galaxyxr/left",
    "valve-index/left", "yvr-touch-v2/right",
]  # fmt: skip
#: A third of them every day, all in the long run.
OTHERS = [name if i % 3 == 0 else pytest.param(name, marks=pytest.mark.slow) for i, name in enumerate(OTHERS_ALL)]


@pytest.fixture
def studio(tmp_path: Path) -> Any:
    made = Studio(tmp_path / "data", Limits(threads=2))
    yield made
    made.close()


def bring(studio: Studio, data: bytes, name: str = "asset.glb", **options: Any) -> Session:
    return studio.session(studio.create(data, name, **options))


def shown(session: Session, channel: str, sheet: Sheet | None = None) -> tuple[np.ndarray, np.ndarray]:
    """(side, side, n) uint16 composite of a channel ("normal" too), and where an island lies."""
    display = session.display((sheet or session.document.sheets[0]).id)
    samples = display.samples
    made = [display.normals(c) if channel == "normal" else display.evaluator.composite(channel, c) for c in range(samples.chunk_count)]
    flat = np.concatenate([np.asarray(m).reshape(-1, CHUNK) for m in made], axis=1)
    return np.asarray(samples.to_image(np.ascontiguousarray(flat.T))), np.asarray(samples.to_image(samples.covered))


def outcomes(session: Session, outcome: str) -> list[str]:
    return [f"{n.about}: {n.text}" for n in session.model.notes if n.outcome == outcome]


def export_glb(session: Session, out: Path) -> bytes:
    export_project(session, next(p for p in BUILT_IN if p.id == "packed-orm"), out)
    return next(out.glob("*.glb")).read_bytes()


def document_of(glb: bytes) -> dict[str, Any]:
    return dict(json.loads(glb[20 : 20 + struct.unpack_from("<I", glb, 12)[0]]))


# -- pictures and factors -------------------------------------------------------------------------------------------------------


def test_every_picture_arrives_to_the_code(studio: Studio) -> None:
    glb = Glb()
    (base, one), (orm, two), (glow, three), (bend, four) = (noise_png(256, i, 4 if i == 0 else 3) for i in range(4))
    info = {"index": glb.picture(two, name="orm")}
    material = {
        "name": "Tin",
        "alphaMode": "MASK",
        "alphaCutoff": 0.25,
        "doubleSided": True,
        "pbrMetallicRoughness": {"baseColorTexture": {"index": glb.picture(one)}, "metallicRoughnessTexture": info},
        "occlusionTexture": info,
        "emissiveTexture": {"index": glb.picture(three)},
        "emissiveFactor": [1, 1, 1],
        "normalTexture": {"index": glb.picture(four)},
    }
    session = bring(studio, plate(material, glb=glb).bytes())
    sheet = session.document.sheets[0]
    assert (sheet.resolution, sheet.double_sided, sheet.alpha_mode, sheet.alpha_cutoff) == (256, True, "mask", 0.25)
    assert [x.name for x in sheet.layers] == ["Paint", "Pictures", "Ground"]
    wanted = {"base_color": base[..., :3], "opacity": base[..., 3:], "occlusion": orm[..., :1], "roughness": orm[..., 1:2], "metallic": orm[..., 2:]}
    for channel, pixels in (wanted | {"emission": glow}).items():
        found, covered = shown(session, channel)
        assert covered.all()
        assert_array_equal(found, pixels.astype(np.uint16) * 257, err_msg=channel)
    assert_array_equal(session.display(sheet.id).evaluator.supplied_normal(0)[:3].T.reshape(256, 256, 3), bend.astype(np.uint16) * 257)  # type: ignore[index]
    assert len(session.document.images) == 4
    assert not outcomes(session, "left out")
    assert "Tin: 'orm' (256 × 256) as roughness, metallic and occlusion." in outcomes(session, "kept")


def test_factors_multiply_in_linear_light_and_stand_in_the_ground(studio: Studio) -> None:
    glb = Glb()
    base, data = noise_png(256, 7)
    orm, packed = noise_png(256, 8)
    material = {
        "pbrMetallicRoughness": {
            "baseColorTexture": {"index": glb.picture(data)},
            "baseColorFactor": [0.5, 1.0, 0.25, 1.0],
            "metallicRoughnessTexture": {"index": glb.picture(packed)},
            "roughnessFactor": 0.5,
            "metallicFactor": 0.25,
        },
        "occlusionTexture": {"index": 1, "strength": 0.4},
    }
    session = bring(studio, plate(material, glb=glb).bytes())
    encoded = base / 255
    linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4) * [0.5, 1.0, 0.25]
    again = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
    assert_allclose(shown(session, "base_color")[0] / 65535, again, atol=2e-5)
    assert_allclose(shown(session, "roughness")[0][..., 0] / 65535, orm[..., 1] / 255 * 0.5, atol=1e-5)
    assert_allclose(shown(session, "metallic")[0][..., 0] / 65535, orm[..., 2] / 255 * 0.25, atol=1e-5)
    assert_allclose(shown(session, "occlusion")[0][..., 0] / 65535, 0.6 + 0.4 * orm[..., 0] / 255, atol=1e-5)
    ground = session.document.sheets[0].layers[-1].channels
    assert ground["roughness"].value == (0.5,)
    assert ground["metallic"].value == (0.25,)
    assert_allclose(ground["base_color"].value, [0.7354, 1.0, 0.5371], atol=2e-4)
    assert sum("multiplied by its factor" in n for n in outcomes(session, "converted")) == 2


def test_factors_alone(studio: Studio) -> None:
    material = {
        "pbrMetallicRoughness": {"baseColorFactor": [1, 0, 0, 0.5], "roughnessFactor": 0.3, "metallicFactor": 0.9},
        "alphaMode": "BLEND",
        "emissiveFactor": [0, 0.5, 0],
        "extensions": {"KHR_materials_emissive_strength": {"emissiveStrength": 4}, "KHR_materials_clearcoat": {}},
    }
    session = bring(studio, plate(material).bytes())
    sheet = session.document.sheets[0]
    assert [x.name for x in sheet.layers] == ["Paint", "Ground"]
    assert sheet.resolution == 1024
    assert sheet.alpha_mode == "blend"
    for channel, value in {"base_color": [1, 0, 0], "opacity": [0.5], "roughness": [0.3], "metallic": [0.9], "emission": [0, 1, 0]}.items():
        found, covered = shown(session, channel)
        assert_allclose(found[covered][0] / 65535, value, atol=1e-4)
    assert any("2 times as bright as white" in n for n in outcomes(session, "converted"))
    assert any("Clear coat" in n for n in outcomes(session, "left out"))


def sampled(pixels: np.ndarray, u: np.ndarray, v: np.ndarray, wrap: str) -> np.ndarray:
    """Bilinear samples of a picture at UVs (v down), in double precision."""
    height, width = pixels.shape[:2]
    x, y = u * width - 0.5, v * height - 0.5
    x0, y0 = np.floor(x).astype(int), np.floor(y).astype(int)

    def at(i: np.ndarray, j: np.ndarray) -> np.ndarray:
        def inside(k: np.ndarray, size: int) -> np.ndarray:
            if wrap == "clamp":
                return np.clip(k, 0, size - 1)
            k = k % (size if wrap == "repeat" else 2 * size)
            return np.where(k < size, k, 2 * size - 1 - k)

        return pixels[inside(j, height), inside(i, width)].astype(float)

    fx, fy = (x - x0)[..., None], (y - y0)[..., None]
    top = at(x0, y0) * (1 - fx) + at(x0 + 1, y0) * fx
    return np.asarray(top * (1 - fy) + (at(x0, y0 + 1) * (1 - fx) + at(x0 + 1, y0 + 1) * fx) * fy)


@pytest.mark.parametrize(("wrap", "code"), [("repeat", 10497), ("mirror", 33648), ("clamp", 33071)])
def test_texture_transform_and_wrapping(studio: Studio, wrap: str, code: int) -> None:
    """Scaled, turned counter-clockwise, moved: u' = c sx u + s sy v + ox, v' = −s sx u + c sy v + oy."""
    glb = Glb()
    pixels = np.asarray(Image.fromarray(noise_png(24, 3)[0]).resize((256, 256), Image.Resampling.BICUBIC))
    texture = glb.picture(png(pixels), sampler={"wrapS": code, "wrapT": code})
    bent = {"offset": [0.3, -0.2], "rotation": 0.5, "scale": [1.5, 0.75]}
    material = {"pbrMetallicRoughness": {"baseColorTexture": {"index": texture, "extensions": {"KHR_texture_transform": bent}}}}
    session = bring(studio, plate(material, glb=glb).bytes(), resolution=512)
    found, _ = shown(session, "base_color")
    u, v = np.meshgrid((np.arange(512) + 0.5) / 512, (np.arange(512) + 0.5) / 512)
    c, s = np.cos(0.5), np.sin(0.5)
    wanted = sampled(pixels, c * 1.5 * u + s * 0.75 * v + 0.3, -s * 1.5 * u + c * 0.75 * v - 0.2, wrap)
    assert_allclose(found / 257, wanted, atol=0.6)
    assert any("moved, turned or scaled" in n for n in outcomes(session, "converted"))


def test_a_picture_by_another_uv_set_lies_where_that_says(studio: Studio) -> None:
    """Painted by a set that is turned by a quarter and half the size; the picture lies by the second one."""
    glb = Glb()
    pixels = np.asarray(Image.fromarray(noise_png(16, 5)[0]).resize((256, 256), Image.Resampling.BICUBIC))
    material = {"pbrMetallicRoughness": {"baseColorTexture": {"index": glb.picture(png(pixels)), "texCoord": 1}}}
    painted = np.array([[0.5, 0.5], [0.5, 0.0], [0.0, 0.0], [0.0, 0.5]], np.float32)
    second, third = glb.accessor(UVS), glb.accessor(UVS * 0.25)
    session = bring(studio, plate(material, painted, glb, TEXCOORD_1=second, TEXCOORD_2=third).bytes(), resolution=512)
    assert [u.number for u in session.model.uv_layouts] == [0, 1, 2]
    found, covered = shown(session, "base_color")
    # A texel's place on the plate: its column runs against the plate's y, its row against its x.
    x, y = np.meshgrid((np.arange(256) + 0.5) / 256, (np.arange(256) + 0.5) / 256)
    u, v = 1 - y, x
    assert covered[:256, :256].all()
    assert_allclose(found[:256, :256] / 257, sampled(pixels, u, v, "repeat"), atol=1.2)
    choose_uv_set(session, 1)
    found, covered = shown(session, "base_color")
    assert covered.all()
    assert_allclose(
        found[::2, ::2] / 257,
        sampled(pixels, *np.meshgrid((np.arange(0, 512, 2) + 0.5) / 512, (np.arange(0, 512, 2) + 0.5) / 512), "repeat"),
        atol=0.6,
    )
    # Also once something is painted: it is laid on the set that is chosen, and undo brings the other back.
    flood(session, Target(sheet=session.document.sheets[0].id, layer="l2", channels=("roughness",)), Paint(values={"roughness": (0.9,)}), None, 1.0)
    choose_uv_set(session, 0)
    painted_now, covered = shown(session, "roughness")
    assert 0 < covered.sum() < covered.size
    assert (painted_now[covered] == round(0.9 * 65535)).all()
    session.undo()
    assert shown(session, "roughness")[1].all()
    with pytest.raises(InputError, match="no UV set 7"):
        bring(studio, plate(material, painted, glb).bytes(), uv_set=7)


def test_a_normal_map_turns_with_its_uvs(studio: Studio) -> None:
    """A normal that leans to the right of its picture leans up where the picture is turned by a quarter."""
    glb = Glb()
    lean = np.zeros((256, 256, 3), np.uint8)
    lean[:] = (218, 128, 218)
    material = {"normalTexture": {"index": glb.picture(png(lean)), "texCoord": 1, "scale": 0.5}}
    turned = np.array([[1, 1], [1, 0], [0, 0], [0, 1]], np.float32)
    session = bring(studio, plate(material, UVS, glb, TEXCOORD_1=glb.accessor(turned)).bytes())
    n = shown(session, "normal")[0][128, 128] / 32767.5 - 1
    x, z = (218 / 127.5 - 1) * 0.5, 218 / 127.5 - 1
    # The picture's u runs along −y of the plate, which is down on the sheet.
    assert_allclose(n, np.array([0, -x, z]) / np.hypot(x, z), atol=6e-3)


def test_a_picture_stays_on_the_surface_when_the_layout_changes(studio: Studio) -> None:
    glb = Glb()
    pixels = np.asarray(Image.fromarray(noise_png(8, 11)[0]).resize((512, 512), Image.Resampling.BICUBIC))
    material = {"pbrMetallicRoughness": {"baseColorTexture": {"index": glb.picture(png(pixels))}}}
    session = bring(studio, plate(material, UVS * 0.4 + 0.1, glb).bytes())

    def colours() -> np.ndarray:
        samples = session.samples(session.document.sheets[0])
        slots = samples.grid.nearest(np.array([[x, y, 0] for x in (0.2, 0.5, 0.8) for y in (0.3, 0.6)]), 1.0)
        display = session.display(session.document.sheets[0].id)
        return np.array([display.evaluator.composite("base_color", int(s) >> 16)[:, int(s) & 65535] for s in slots]) / 257

    before = colours()
    assert np.ptp(before, axis=0).min() > 10
    for change in (lambda: pack(session, lambda d, p, w: None), lambda: unwrap_model(session, lambda d, p, w: None)):
        change()
        assert_allclose(colours(), before, atol=3.5)


def test_beyond_the_square_is_folded(studio: Studio) -> None:
    """A plate over four by two squares of a repeating picture: one square of paint, the same look."""
    glb = Glb()
    pixels, data = noise_png(256, 4)
    material = {"name": "Brick", "pbrMetallicRoughness": {"baseColorTexture": {"index": glb.picture(data)}}}
    session = bring(studio, plate(material, UVS * [4, 2] + [3, -7], glb).bytes())
    found, covered = shown(session, "base_color")
    assert covered.all()
    assert_array_equal(found, pixels.astype(np.uint16) * 257)
    assert any(n.startswith("Brick: ") for n in outcomes(session, "folded"))
    assert [f.kind for f in session.findings] == ["folded-uvs", "overlapping-uvs"]
    assert len(session.document.sheets) == 1


def test_vertex_colours_of_a_glb_multiply_and_go_out_again(studio: Studio, tmp_path: Path) -> None:
    glb = Glb()
    linear = np.array([[1, 0, 0, 1], [0, 0.5, 0, 1], [0, 0, 0.25, 1], [1, 1, 1, 0.5]], np.float32)
    session = bring(studio, plate({"name": "Tint"}, UVS, glb, COLOR_0=glb.accessor(linear)).bytes())
    assert session.document.settings.multiply_vertex_colours
    found, covered = shown(session, "base_color")
    assert (found[covered] == 65535).all()
    out = export_glb(session, tmp_path / "out")
    again = trimesh.load(io.BytesIO(out), file_type="glb", process=False)
    mesh = next(iter(again.geometry.values()))
    order = [int(np.argmin(np.abs(mesh.vertices - c).sum(axis=1))) for c in CORNERS]
    document = document_of(out)
    accessor = document["accessors"][document["meshes"][0]["primitives"][0]["attributes"]["COLOR_0"]]
    assert accessor["type"] == "VEC4"
    colours = mesh.vertex_attributes["color"] if "color" in mesh.vertex_attributes else mesh.visual.vertex_attributes["color"]
    assert_allclose(np.asarray(colours)[order], linear, atol=1e-6)
    back = bring(studio, out)
    assert_allclose(np.sort(back.model.vertex_colors, axis=0), np.sort(session.model.vertex_colors, axis=0), atol=1e-6)  # type: ignore[arg-type]


def test_vertex_colours_of_text_formats_are_a_layer(studio: Studio) -> None:
    lines = [
        "v 0 0 0 1 0 0",
        "v 1 0 0 0 1 0",
        "v 1 1 0 0 0 1",
        "v 0 1 0 1 1 1",
        "vt 0 0",
        "vt 1 0",
        "vt 1 1",
        "vt 0 1",
        "f 1/1 2/2 3/3",
        "f 1/1 3/3 4/4",
    ]
    session = bring(studio, "\n".join(lines).encode(), "tint.obj")
    assert [x.name for x in session.document.sheets[0].layers] == ["Paint", "Vertex colours", "Ground"]
    assert not session.document.settings.multiply_vertex_colours
    found, _ = shown(session, "base_color")
    u, v = 700.5 / 1024, 1 - 900.5 / 1024
    assert_allclose(found[900, 700] / 65535, [1 - u, u - v, v], atol=1e-4)


# -- compressed and unusual encodings -------------------------------------------------------------------------------------------


def draco_plate() -> bytes:
    packed = DracoPy.encode(
        CORNERS, FACES.reshape(-1, 3).astype(np.uint32), quantization_bits=0, tex_coord=UVS.astype(np.float64), preserve_order=True
    )
    ids = {a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes}
    glb = Glb()
    count = {"componentType": 5126, "count": 4}
    glb.document["accessors"] = [
        {**count, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
        {**count, "type": "VEC2"},
        {"componentType": 5123, "count": 6, "type": "SCALAR"},
    ]
    primitive = {
        "attributes": {"POSITION": 0, "TEXCOORD_0": 1},
        "indices": 2,
        "extensions": {"KHR_draco_mesh_compression": {"bufferView": glb.view(packed), "attributes": {"POSITION": ids[0], "TEXCOORD_0": ids[3]}}},
    }
    glb.document |= {"meshes": [{"primitives": [primitive]}], "nodes": [{"mesh": 0}], "extensionsRequired": ["KHR_draco_mesh_compression"]}
    return glb.bytes()


def meshopt_plate() -> bytes:
    glb = plate()
    document = glb.document
    fresh = bytearray()
    for view, accessor in zip(document["bufferViews"], document["accessors"], strict=True):
        raw = bytes(glb.body[view["byteOffset"] : view["byteOffset"] + view["byteLength"]])
        scalar = accessor["type"] == "SCALAR"
        # Vertex rows are a multiple of four bytes; indices go by their own scheme.
        stride = 2 if scalar else view["byteLength"] // accessor["count"]
        values = np.frombuffer(raw, np.uint16) if scalar else np.frombuffer(raw, np.uint8).reshape(accessor["count"], stride)
        mode = "TRIANGLES" if scalar else "ATTRIBUTES"
        packed = bytes(meshopt.encode_gltf_buffer(values, mode))
        view["extensions"] = {"EXT_meshopt_compression": {
            "buffer": 0, "byteOffset": len(fresh), "byteLength": len(packed), "byteStride": stride, "count": accessor["count"], "mode": mode,
        }}  # fmt: skip
        view["buffer"] = 1
        fresh += packed + b"\0" * (-len(packed) % 4)
    size = len(glb.body)
    glb.body = fresh
    glb.document["extensionsRequired"] = ["EXT_meshopt_compression"]
    data = glb.bytes()
    # The second buffer only stands for what is unpacked.
    glb.document["buffers"].append({"byteLength": size, "extensions": {"EXT_meshopt_compression": {"fallback": True}}})
    text = json.dumps(glb.document).encode()
    text += b" " * (-len(text) % 4)
    body = data[20 + struct.unpack_from("<I", data, 12)[0] :]
    return struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(body)) + struct.pack("<I4s", len(text), b"JSON") + text + body


def sparse_plate() -> bytes:
    """All vertices at the origin but three, which sparse values move."""
    glb = plate()
    rows, values = glb.view(np.array([1, 2, 3], "<u2").tobytes()), glb.view(CORNERS[1:].tobytes())
    position = glb.document["accessors"][0]
    position["sparse"] = {"count": 3, "indices": {"bufferView": rows, "componentType": 5123}, "values": {"bufferView": values}}
    del position["bufferView"]
    return glb.bytes()


def quantised_plate() -> bytes:
    glb = plate()
    place = glb.accessor(np.c_[CORNERS * 1000, np.zeros(4)].astype(np.int16)[:, :3], "i2")
    uv = glb.accessor(np.rint(UVS * 65535), "u2", normalized=True)
    glb.document["meshes"][0]["primitives"][0]["attributes"] |= {"POSITION": place, "TEXCOORD_0": uv}
    glb.document["nodes"][0]["scale"] = [0.001] * 3
    glb.document["extensionsRequired"] = ["KHR_mesh_quantization"]
    return glb.bytes()


def mirrored_plate() -> bytes:
    glb = plate()
    glb.document["nodes"][0] |= {"scale": [-1, 1, 1], "translation": [1, 0, 0]}
    return glb.bytes()


@pytest.mark.parametrize("make", [draco_plate, meshopt_plate, sparse_plate, quantised_plate, mirrored_plate])
def test_unusual_encodings_are_the_same_plate(studio: Studio, make: Any) -> None:
    model = bring(studio, make()).model
    corners = model.positions[model.triangles]
    assert_allclose(corners.reshape(-1, 3).min(axis=0), [0, 0, 0], atol=1e-6)
    assert_allclose(corners.reshape(-1, 3).max(axis=0), [1, 1, 0], atol=1e-6)
    area = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    assert_allclose(area, [[0, 0, 1]] * 2, atol=1e-6)  # Facing +z, also where the node mirrors it.
    layout = model.uv_layouts[0]
    uv = layout.uvs[layout.corner_uv[model.triangle_corners]]
    x = corners[..., 0] if make is not mirrored_plate else 1 - corners[..., 0]
    assert_allclose(uv, np.stack([x, corners[..., 1]], axis=-1), atol=2e-5)


@pytest.mark.parametrize("make", [draco_plate, meshopt_plate, sparse_plate])
def test_damage_to_compressed_files_is_told_in_words(studio: Studio, make: Any) -> None:
    data = make()
    start = 28 + struct.unpack_from("<I", data, 12)[0]
    random = np.random.default_rng(1)
    for _ in range(60):
        broken = bytearray(data)
        for at in random.integers(start, len(data), 3):
            broken[at] = random.integers(0, 256)
        try:
            bring(studio, bytes(broken))
        except InputError as error:
            assert str(error).endswith(".")


def test_a_skin_is_named_and_the_mesh_stands_in_its_bind_pose(studio: Studio) -> None:
    glb = plate()
    place = [0.0, 0, 2, 0, 0, 2, 0, 0, -2, 0, 0, 0, 5, 0, 0, 1]  # Columns: a turn about y, twice the size, moved by 5.
    joint = glb.add("nodes", {"name": "Bone", "matrix": place})
    inverse = glb.accessor(np.eye(4).reshape(1, 16))
    glb.document["skins"] = [{"joints": [joint], "inverseBindMatrices": inverse}]
    glb.document["nodes"][0] |= {"skin": 0, "translation": [100, 0, 0]}
    glb.document["scenes"][0]["nodes"].append(joint)
    glb.document["animations"] = [{"channels": [], "samplers": []}]
    session = bring(studio, glb.bytes())
    # The node's own place does not count; the joint's does.
    assert_allclose(session.model.positions, CORNERS @ np.array([[0, 0, 2], [0, 2, 0], [-2, 0, 0]]) + [5, 0, 0], atol=1e-5)
    left = outcomes(session, "left out")
    assert [n for n in left if "skin" in n.lower()] == ["File: The skin: the mesh stays in its bind pose."]
    assert "File: 1 animation: the mesh stands still." in left


# -- bad input ------------------------------------------------------------------------------------------------------------------


def test_what_is_wrong_with_pictures_is_told_and_the_rest_is_kept(studio: Studio) -> None:
    glb = Glb()
    good = noise_png(256, 1)[1]
    whole = noise_png(128, 2)[1]
    enormous = io.BytesIO()
    Image.new("L", (9000, 16)).save(enormous, "PNG")
    material = {
        "name": "Odd",
        "pbrMetallicRoughness": {
            "baseColorTexture": {"index": glb.picture(whole[: len(whole) // 2], name="cut")},
            "metallicRoughnessTexture": {"index": glb.picture(enormous.getvalue(), name="wide")},
            "baseColorFactor": [2, 0.5, "x", 1],
            "roughnessFactor": -3,
        },
        "emissiveTexture": {"index": 99},
        "emissiveFactor": [1, 1, 1],
        "occlusionTexture": {"index": glb.picture(good), "texCoord": 4},
        "normalTexture": {"index": glb.add("textures", {"source": glb.add("images", {"uri": "../../etc/passwd"})})},
    }
    session = bring(studio, plate(material, glb=glb).bytes())
    left = "\n".join(outcomes(session, "left out"))
    for words in (
        "'cut': it is damaged or cut off",
        "'wide': it is 9000 × 16",
        "baseColorFactor: it is not 4 numbers",
        "a texture that it does not hold",
        "UV set 4",
        "'passwd' did not come along",
    ):
        assert words in left, words
    assert any("roughnessFactor lay outside" in n for n in outcomes(session, "converted"))
    assert [x.name for x in session.document.sheets[0].layers] == ["Paint", "Ground"]
    found, covered = shown(session, "roughness")
    assert (found[covered] == 0).all()


def test_one_picture_of_two_materials_is_kept_once(studio: Studio) -> None:
    glb = Glb()
    pixels, data = noise_png(256, 1)
    texture = {"index": glb.picture(data)}
    plate({"name": "One", "pbrMetallicRoughness": {"baseColorTexture": texture}}, glb=glb)
    glb.add("materials", {"name": "Two", "emissiveTexture": texture, "emissiveFactor": [1, 1, 1]})
    primitive = dict(glb.document["meshes"][0]["primitives"][0], material=1)
    glb.document["meshes"][0]["primitives"].append(primitive)
    session = bring(studio, glb.bytes(), resolution=256)
    assert [s.name for s in session.document.sheets] == ["One", "Two"]
    assert len(session.document.images) == 1
    assert_array_equal(shown(session, "emission", session.document.sheets[1])[0], pixels.astype(np.uint16) * 257)
    both = bring(studio, glb.bytes(), resolution=256, rule="parts")
    assert [x.name for x in both.document.sheets[0].layers] == ["Paint", "Pictures of One", "Pictures of Two", "Ground"]


# -- out and in again -----------------------------------------------------------------------------------------------------------


def test_what_goes_out_comes_back_alike(studio: Studio, tmp_path: Path) -> None:
    """Two nodes of a tree, one mirrored, with two UV sets, in two materials."""
    glb = Glb()
    base, orm = glb.picture(noise_png(256, 1, 4)[1]), glb.picture(noise_png(256, 2)[1])
    material = {
        "name": "Sail",
        "alphaMode": "BLEND",
        "doubleSided": True,
        "pbrMetallicRoughness": {"baseColorTexture": {"index": base}, "metallicRoughnessTexture": {"index": orm}},
    }
    plate(material, UVS, glb, TEXCOORD_1=glb.accessor(UVS * 0.5 + 0.25))
    glb.document["nodes"][0] |= {"rotation": [0, np.sin(0.3), 0, np.cos(0.3)], "scale": [2, 1, 1], "translation": [0, 3, 0]}
    glb.add(
        "materials", {"name": "Spar", "pbrMetallicRoughness": {"baseColorFactor": [0.1, 0.2, 0.3, 1], "roughnessFactor": 0.4, "metallicFactor": 0.6}}
    )
    glb.add("meshes", {"name": "Spar", "primitives": [dict(glb.document["meshes"][0]["primitives"][0], material=1)]})
    spar = glb.add("nodes", {"name": "Spar", "mesh": 1, "scale": [-1, 2, 3], "translation": [0, 0, -1]})
    mast = glb.add("nodes", {"name": "Mast", "children": [0, spar], "translation": [7, 0, 0]})
    glb.document["scenes"] = [{"nodes": [mast]}]
    data = glb.bytes()
    first = bring(studio, data)
    out = export_glb(first, tmp_path / "out")
    issues = validate(out)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues
    second = bring(studio, out)
    assert second.model.parts == first.model.parts == ("Plate", "Spar")
    for a, b in ((first, second), (bring(studio, data), second)):
        assert [(n.name, n.parent, n.part) for n in a.model.nodes] == [(n.name, n.parent, n.part) for n in b.model.nodes]
        assert_allclose([n.matrix for n in a.model.nodes], [n.matrix for n in b.model.nodes], atol=1e-6)
        assert_allclose(a.model.positions[a.model.triangles], b.model.positions[b.model.triangles], atol=1e-5)
        for mine, theirs in zip(a.model.uv_layouts, b.model.uv_layouts, strict=True):
            assert_allclose(mine.uvs[mine.corner_uv[a.model.triangle_corners]], theirs.uvs[theirs.corner_uv[b.model.triangle_corners]], atol=1e-6)
        for one, two in zip(a.document.sheets, b.document.sheets, strict=True):
            assert (one.name, one.double_sided, one.alpha_mode) == (two.name, two.double_sided, two.alpha_mode)
            for channel in ("base_color", "roughness", "metallic", "opacity", "occlusion", "emission"):
                (mine, here), (theirs, there) = shown(a, channel, one), shown(b, channel, two)
                if mine.shape == theirs.shape and len(mine) == 256:
                    assert_array_equal(mine[here & there], theirs[here & there], err_msg=channel)
                else:
                    assert_allclose(mine[here][0] / 257, theirs[there][0] / 257, atol=0.5)
    spar_sheet = document_of(out)["materials"][1]["pbrMetallicRoughness"]
    assert (spar_sheet["roughnessFactor"], spar_sheet["metallicFactor"]) == (pytest.approx(0.4, abs=1e-4), pytest.approx(0.6, abs=1e-4))
    assert_allclose(spar_sheet["baseColorFactor"], [0.1, 0.2, 0.3, 1], atol=2e-4)


def material_texture(mesh: trimesh.Trimesh, slot: str) -> Image.Image | None:
    found = getattr(mesh.visual.material, slot, None) if hasattr(mesh.visual, "material") else None
    return found if isinstance(found, Image.Image) else None


@pytest.mark.parametrize("which", OTHERS)
def test_assets_of_others_keep_their_look_tree_and_facts(studio: Studio, tmp_path: Path, which: str) -> None:
    data = (PROFILES / f"{which}.glb").read_bytes()
    given = document_of(data)
    session = bring(studio, data)
    model, document = session.model, session.document
    materials = {m.get("name", f"Material {i + 1}"): m for i, m in enumerate(given["materials"])}
    # Facts of each sheet, by the JSON itself.
    for sheet in document.sheets:
        m = materials[model.materials[int(model.face_material[session.plans[sheet.plan].faces[0]])].name]
        assert sheet.double_sided == m.get("doubleSided", False)
        assert sheet.alpha_mode == m.get("alphaMode", "OPAQUE").lower()
        assert bool(sheet.normal_pictures) == ("normalTexture" in m)
        pbr = m.get("pbrMetallicRoughness", {})
        ground = sheet.layers[-1].channels
        assert ground["roughness"].value == (pytest.approx(pbr.get("roughnessFactor", 1), abs=1e-4),)
        assert ground["metallic"].value == (pytest.approx(pbr.get("metallicFactor", 1), abs=1e-4),)
    # Pixels, by another reader.
    scene = trimesh.load(io.BytesIO(data), file_type="glb", process=False)
    compared = 0
    for mesh in scene.geometry.values():
        picture = material_texture(mesh, "baseColorTexture")
        name = getattr(getattr(mesh.visual, "material", None), "name", None)
        sheet = next((s for s in document.sheets if s.name == name), None)
        if picture is None or sheet is None or picture.width != picture.height or sheet.resolution != picture.width:
            continue
        if session.plans[sheet.plan].squares is not None:
            continue
        found, covered = shown(session, "base_color", sheet)
        factor = np.array(materials[name]["pbrMetallicRoughness"].get("baseColorFactor", [1] * 4)[:3])
        pixels = np.asarray(picture.convert("RGB"))[covered]
        if (factor == 1).all():
            # Pillow gives the upper half of pictures of 16 bits.
            assert_array_equal(found[covered] >> 8, pixels)
        else:
            encoded = pixels / 255
            linear = np.where(encoded <= 0.04045, encoded / 12.92, ((encoded + 0.055) / 1.055) ** 2.4) * factor
            again = np.where(linear <= 0.0031308, linear * 12.92, 1.055 * linear ** (1 / 2.4) - 0.055)
            assert_allclose(found[covered] / 257, again * 255, atol=0.01)
        compared += 1
    assert compared or not any("baseColorTexture" in m.get("pbrMetallicRoughness", {}) for m in given["materials"]) or which in ("valve-index/left",)
    # The tree, by the JSON, and all of it again after a trip out.
    named = {n.get("name", "") for n in given["nodes"]}
    assert {n.name for n in model.nodes} <= named
    out = export_glb(session, tmp_path / "out")
    issues = validate(out)
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues
    back = bring(studio, out)
    assert [(n.name, n.parent, n.part >= 0) for n in back.model.nodes] == [(n.name, n.parent, n.part >= 0) for n in model.nodes]
    assert len(back.model.uv_layouts) == len(model.uv_layouts)
    assert_allclose(
        np.sort(back.model.positions[back.model.triangles].mean(axis=1), axis=0),
        np.sort(model.positions[model.triangles].mean(axis=1), axis=0),
        atol=1e-4 * model.diagonal,
    )
    for mine in document.sheets:
        theirs = next(s for s in back.document.sheets if s.name == mine.name)
        assert (theirs.double_sided, theirs.alpha_mode) == (mine.double_sided, mine.alpha_mode)
        if theirs.resolution != mine.resolution:
            continue
        for channel in ("base_color", "roughness", "metallic", "emission"):
            (a, here), (b, there) = shown(session, channel, mine), shown(back, channel, theirs)
            difference = np.abs(a[here & there].astype(int) - b[here & there])
            assert difference.max(initial=0) <= 140, (channel, difference.max())


def test_hundreds_of_materials_and_pictures_are_told_in_words(studio: Studio) -> None:
    """600 materials with a picture each: too many for one sheet; 520 pictures on ten sheets: the last ones are left out."""
    glb = plate({"name": "First"})
    primitive = glb.document["meshes"][0]["primitives"][0]
    glb.document["materials"], glb.document["meshes"][0]["primitives"] = [], []
    for i in range(600):
        texture = {"index": glb.picture(png(np.full((2, 2, 3), (i % 256, i // 256, 9), np.uint8)))}
        glb.add("materials", {"name": f"M {i}", "pbrMetallicRoughness": {"baseColorTexture": texture}, "normalTexture": texture})
        glb.document["meshes"][0]["primitives"].append(dict(primitive, material=i))
    with pytest.raises(InputError, match="600 materials; at most 200"):
        bring(studio, glb.bytes(), rule="parts")
    few = json.loads(json.dumps(glb.document))
    slots = ("baseColorTexture", "metallicRoughnessTexture")
    glb.document["materials"] = [{"pbrMetallicRoughness": {s: {"index": 2 * i + k} for k, s in enumerate(slots)}} for i in range(260)]
    glb.document["meshes"][0]["primitives"] = few["meshes"][0]["primitives"][:260]
    session = bring(studio, glb.bytes(), resolution=256)
    assert len(session.document.images) == 500
    assert "File: 20 pictures: a project holds at most 500." in outcomes(session, "left out")


STAMP = """
import sys
from pathlib import Path
from ruvelt.studio.limits import Limits
from ruvelt.studio.studio import Studio
studio = Studio(Path(sys.argv[1]), Limits(threads=1))
session = studio.session(sys.argv[2])
print(session.display(session.document.sheets[0].id).version("normal", 0))
studio.close()
"""


def test_kept_pictures_of_a_normal_map_count_in_the_next_process(tmp_path: Path) -> None:
    """Stamps that went by the process's own hashes would have every tile made again at each opening."""
    glb = Glb()
    data = plate({"normalTexture": {"index": glb.picture(noise_png(256, 1)[1])}}, glb=glb).bytes()
    studio = Studio(tmp_path, Limits(threads=1))
    uid = studio.create(data, "plate.glb")
    studio.close()
    command = [sys.executable, "-c", STAMP, str(tmp_path), uid]
    told = {
        subprocess.run(command, capture_output=True, text=True, check=True, env={**os.environ, "PYTHONHASHSEED": seed}).stdout for seed in ("1", "2")
    }
    assert len(told) == 1


def test_a_sheet_that_covers_nothing_goes_out(studio: Studio, tmp_path: Path) -> None:
    """A second material whose faces have no UVs."""
    text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nusemtl a\nf 1/1 2/2 3/3\nusemtl b\nf 1 3 2\n"
    session = bring(studio, text.encode(), "half.obj")
    out = export_glb(session, tmp_path / "out")
    assert validate(out)["numErrors"] == 0
    assert [m["name"] for m in document_of(out)["materials"]] == ["a", "b"]


def test_thousands_of_parts_go_out(studio: Studio, tmp_path: Path) -> None:
    """Each part is found by its own rows, not by a look at all of them."""
    glb = plate({"name": "Tile"})
    nodes = [{"name": f"Tile {i}", "mesh": 0, "translation": [float(i), 0, 0]} for i in range(2000)]
    glb.document["nodes"], glb.document["scenes"] = nodes, [{"nodes": list(range(2000))}]
    out = document_of(export_glb(bring(studio, glb.bytes(), resolution=256), tmp_path / "out"))
    assert len(out["meshes"]) == 2000
    assert out["nodes"][1999]["translation"] == [1999, 0, 0]
