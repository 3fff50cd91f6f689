"""Mesh readers against files whose content is known."""

from __future__ import annotations

import base64
import gc
import io
import json
import struct
import sys
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import trimesh
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.errors import InputError
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_mesh
from tests.meshes import CUBE_MTL, cube_obj, globe


def test_obj_keeps_quads_objects_groups_materials_and_order() -> None:
    model = read_mesh(cube_obj(), "cube.obj", {"cube.mtl": CUBE_MTL})
    assert model.face_count == 6
    assert_array_equal(np.diff(model.face_starts), 4)
    assert model.parts == ("Lower", "Upper")
    assert_array_equal(model.face_part, [0, 0, 0, 0, 1, 1])
    assert [m.name for m in model.materials] == ["Wood", "Iron"]
    assert [(g.name, g.faces.tolist()) for g in model.groups] == [("sides", [0, 1, 2, 3]), ("ends", [4, 5])]
    assert_array_equal(model.positions[0], [-1, -1, -1])
    assert_array_equal(model.positions[7], [1, 1, 1])
    assert_array_equal(model.corner_vertex[:4], [4, 5, 7, 6])
    assert model.materials[0].roughness == pytest.approx(0.7)
    assert model.materials[1].metallic == 1.0
    # MTL colours are linear: 0.5 is 188/255 encoded.
    assert model.materials[1].base_color[0] == pytest.approx(0.7353, abs=1e-3)


def test_obj_without_its_mtl_says_so() -> None:
    model = read_mesh(cube_obj(), "cube.obj")
    (note,) = model.notes
    assert (note.about, note.outcome) == ("File", "left out")
    assert "cube.mtl" in note.text


def test_obj_counts_back_from_the_end_and_joins_lines() -> None:
    model = read_mesh(b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf -3 \\\n-2 -1\n", "t.obj")
    assert_array_equal(model.corner_vertex, [0, 1, 2])
    assert model.uv_layouts == ()


def test_obj_vertex_colours_and_normals() -> None:
    text = b"v 0 0 0 1 0 0\nv 1 0 0 0 1 0\nv 0 1 0 0 0 1\nvn 0 0 2\nf 1//1 2//1 3//1\n"
    model = read_mesh(text, "t.obj")
    assert model.vertex_colors is not None
    assert_allclose(model.vertex_colors, [[1, 0, 0, 1], [0, 1, 0, 1], [0, 0, 1, 1]])
    assert model.file_normals is not None
    assert_allclose(model.file_normals, [[0, 0, 1]] * 3)


@pytest.mark.parametrize(
    ("text", "match"),
    [
        (b"v 0 0\nf 1 1 1\n", "three numbers"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2\n", "three corners"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 9\n", "names vertex 9, but only 3"),
        (b"v 0 0 0\nv 1 0 0\nv 0 1 0\nf 1 2 0\n", "names vertex 0"),
        (b"v 0 zero 0\n", "cannot be read"),
        (b"v 0 0 0\nv 1 0 0\nv 0 nan 0\nf 1 2 3\n", "not a number"),
        (b"v 0 0 0\nv 1e30 0 0\nv 0 1 0\nf 1 2 3\n", "units from the origin"),
        (b"hello\n", "no faces"),
        (b"\x00\x01\x02\x03", "binary data"),
    ],
)
def test_obj_says_what_is_wrong(text: bytes, match: str) -> None:
    with pytest.raises(InputError, match=match):
        read_mesh(text, "t.obj")


def triangle_gltf(change: dict[str, object] | None = None, **accessor: object) -> bytes:
    """A one-triangle glTF with its buffer inside, some of it changed."""
    data = np.array([[0, 0, 0], [2, 0, 0], [0, 2, 0]], "<f4").tobytes() + np.array([0, 1, 2], "<u2").tobytes() + b"\0\0"
    document: dict[str, object] = {
        "asset": {"version": "2.0"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"mesh": 0, "name": "Lid", "translation": [10, 0, 0], "scale": [2, 2, 2]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1}]}],
        "buffers": [{"byteLength": len(data), "uri": "data:application/octet-stream;base64," + base64.b64encode(data).decode()}],
        "bufferViews": [{"buffer": 0, "byteOffset": 0, "byteLength": 36}, {"buffer": 0, "byteOffset": 36, "byteLength": 6}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", **accessor},
            {"bufferView": 1, "componentType": 5123, "count": 3, "type": "SCALAR"},
        ],
    }
    document.update(change or {})
    return json.dumps(document).encode()


def test_gltf_applies_node_transforms_and_names_parts() -> None:
    model = read_mesh(triangle_gltf(), "t.gltf")
    assert model.parts == ("Lid",)
    assert_allclose(model.positions, [[10, 0, 0], [14, 0, 0], [10, 4, 0]])


def test_gltf_mirroring_turns_faces_round() -> None:
    model = read_mesh(triangle_gltf({"nodes": [{"mesh": 0, "scale": [-1, 1, 1]}]}), "t.gltf")
    a, b, c = model.positions[model.corner_vertex]
    assert np.cross(b - a, c - a)[2] > 0


def test_glb_round_trip_through_another_library() -> None:
    ball = globe(16, 8)
    mesh = trimesh.Trimesh(ball.positions, ball.triangles, process=False)
    model = read_mesh(mesh.export(file_type="glb"), "ball.glb")
    assert_allclose(model.positions, ball.positions, atol=1e-6)
    assert len(model.triangles) == len(ball.triangles)


@pytest.mark.parametrize(
    ("content", "match"),
    [
        (triangle_gltf(count=4), "past the end"),
        (triangle_gltf(count=10**10), "description cannot be read"),
        (triangle_gltf(type="VEC2"), "values were expected"),
        (triangle_gltf({"bufferViews": []}), "names buffer view 0"),
        (triangle_gltf({"nodes": [{"children": [0]}]}), "loop"),
        (triangle_gltf({"extensionsRequired": ["EXT_unheard_of"]}), "needs the glTF extension"),
        (triangle_gltf({"buffers": [{"byteLength": 42, "uri": "data:;base64,@@@"}]}), "damaged"),
        (triangle_gltf({"buffers": [{"byteLength": 42, "uri": "../../etc/passwd"}]}), "needs 'passwd' beside it"),
        (triangle_gltf({"nodes": []}), "names node 0"),
        (b"{]", "description cannot be read"),
        (b"[" * 100_000, "description cannot be read"),
    ],
)
def test_gltf_says_what_is_wrong(content: bytes, match: str) -> None:
    with pytest.raises(InputError, match=match):
        read_mesh(content, "t.gltf")


def test_glb_cut_off_or_of_another_version() -> None:
    good = trimesh.creation.box().export(file_type="glb")
    for cut in (8, 19, 40, len(good) // 2, len(good) - 4):
        with pytest.raises(InputError):
            read_mesh(good[:cut], "t.glb")
    with pytest.raises(InputError, match="version 1"):
        read_mesh(good[:4] + struct.pack("<I", 1) + good[8:], "t.glb")


def ply_text(header: str, body: str) -> bytes:
    return f"ply\nformat ascii 1.0\n{header}end_header\n{body}".encode()


_VERTEX = "element vertex 4\nproperty float x\nproperty float y\nproperty float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\n"


def test_ply_keeps_quads_and_vertex_colours() -> None:
    body = "0 0 0 255 0 0\n1 0 0 0 255 0\n1 1 0 0 0 255\n0 1 0 51 102 153\n4 0 1 2 3\n"
    model = read_mesh(ply_text(_VERTEX + "element face 1\nproperty list uchar int vertex_indices\n", body), "q.ply")
    assert_array_equal(np.diff(model.face_starts), [4])
    assert model.vertex_colors is not None
    assert_allclose(model.vertex_colors[3], [0.2, 0.4, 0.6, 1.0])


def test_ply_binary_from_another_library() -> None:
    ball = globe(12, 6)
    data = trimesh.Trimesh(ball.positions, ball.triangles, process=False).export(file_type="ply")
    model = read_mesh(data, "ball.ply")
    assert_allclose(model.positions, ball.positions)
    assert_array_equal(model.triangles, ball.triangles)


@pytest.mark.parametrize(
    ("content", "match"),
    [
        (b"ply\nformat ascii 1.0\nelement vertex 1000000000\nproperty float x\nend_header\n", "promises 1,000,000,000"),
        (b"plx", "not a PLY"),
        (ply_text(_VERTEX + "element face 1\nproperty list uchar int vertex_indices\n", "0 0 0 1 1 1\n"), "cut off or damaged"),
        (ply_text("element vertex 1\nproperty float q\n", "0\n"), "lacks vertex positions"),
        (
            ply_text(
                _VERTEX.replace("4", "3") + "element face 1\nproperty list uchar int vertex_indices\n",
                "0 0 0 1 1 1\n1 0 0 1 1 1\n1 1 0 1 1 1\n3 0 1 7\n",
            ),
            "does not exist",
        ),
    ],
)
def test_ply_says_what_is_wrong(content: bytes, match: str) -> None:
    with pytest.raises(InputError, match=match):
        read_mesh(content, "t.ply")


@pytest.mark.parametrize("kind", ["stl", "stl_ascii"])
def test_stl_joins_equal_corners(kind: str) -> None:
    box = trimesh.creation.box()
    data = box.export(file_type=kind)
    model = read_mesh(data if isinstance(data, bytes) else data.encode(), "b.stl")
    assert model.vertex_count == 8
    assert len(model.triangles) == 12
    p = model.positions[model.triangles].astype(float)
    area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2
    assert area == pytest.approx(6.0, rel=1e-6)


def test_stl_with_a_wrong_count() -> None:
    data = bytearray(trimesh.creation.box().export(file_type="stl"))
    data[80:84] = struct.pack("<I", 1_000_000_000)
    with pytest.raises(InputError, match="not an STL"):
        read_mesh(bytes(data), "b.stl")


def test_unknown_and_empty_files() -> None:
    with pytest.raises(InputError, match="not a mesh format"):
        read_mesh(b"x", "model.xyz")
    with pytest.raises(InputError, match="is empty"):
        read_mesh(b"", "model.obj")


def test_model_survives_its_bytes() -> None:
    model = read_mesh(cube_obj(), "cube.obj", {"cube.mtl": CUBE_MTL})
    again = Model.from_bytes(model.to_bytes())
    for name in ("positions", "face_starts", "corner_vertex", "face_part", "face_material"):
        assert_array_equal(getattr(again, name), getattr(model, name))
    assert again.parts == model.parts
    assert again.materials == model.materials
    assert [g.name for g in again.groups] == [g.name for g in model.groups]
    assert_array_equal(again.uv_layouts[0].uvs, model.uv_layouts[0].uvs)
    with np.load(io.BytesIO(model.to_bytes())) as archive:
        assert "header" in archive


def test_models_are_read_by_several_threads_at_once() -> None:
    """Collections of rubbish that run Python, as weak references do, let threads change places in the middle of a header."""
    content = read_mesh(cube_obj(), "cube.obj", {"cube.mtl": CUBE_MTL}).to_bytes()
    interval, threshold = sys.getswitchinterval(), gc.get_threshold()

    def rubbish(*_: object) -> None:
        sum(range(20))

    def read(depth: int) -> int:
        return read(depth - 1) if depth else sum(Model.from_bytes(content).face_count for _ in range(20))

    try:
        gc.callbacks.append(rubbish)
        sys.setswitchinterval(1e-6)
        gc.set_threshold(1)
        with ThreadPoolExecutor(6) as threads:
            assert list(threads.map(read, range(0, 60, 10))) == [120] * 6
    finally:
        gc.callbacks.remove(rubbish)
        gc.set_threshold(*threshold)
        sys.setswitchinterval(interval)
