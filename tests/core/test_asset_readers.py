"""Materials and pictures beside meshes: OBJ with MTL against trimesh, PLY with texture coordinates of faces, names and their escapes."""

from __future__ import annotations

import io
import json
from pathlib import Path

import numpy as np
import pytest
import trimesh
from numpy.testing import assert_allclose, assert_array_equal

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import PictureUse
from ruvelt.core.mesh.fold import whole_squares
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.readers import read_asset, read_mesh, wanted_beside
from ruvelt.core.mesh.readers.companions import Companions, plain_path
from ruvelt.core.mesh.sheets import plan_sheets
from ruvelt.core.samples.sheet import SheetSamples
from tests.gltf_files import noise_png, plate
from tests.meshes import model_of


def plates(*boxes: tuple[float, float, float, float]) -> Model:
    """Unit squares side by side, each with the UVs of a box (u, v, width, height) of its own."""
    corners = [[2 * i + x, y, 0] for i in range(len(boxes)) for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
    uvs = [[u + w * x, v + h * y] for u, v, w, h in boxes for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
    return model_of(np.array(corners), [[4 * i + k for k in range(4)] for i in range(len(boxes))], np.array(uvs))


QUAD = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nmtllib plate.mtl\n"
MTL = """
newmtl paint
Kd 0.25 0.5 1
Ke 0 0.5 0
Pr 0.3
Pm 0.8
d 0.6
map_Kd -s 2 3 -o 0.25 0.5 wood grain.png
map_Pr -imfchan g rough.png
map_Bump -bm 0.5 bumps.png
norm -clamp on normal.png
map_d wood grain.png
map_Ks shine.png
newmtl plain
Tr 0.25
Pr x
Kd 4 0 0
"""


def use_of(uses: tuple[PictureUse, ...], role: str) -> PictureUse:
    return next(u for u in uses if u.role == role)


def test_mtl_keeps_factors_pictures_and_how_they_lie() -> None:
    text = QUAD + "usemtl paint\nf 1/1 2/2 \\\n3/3\nusemtl plain\nf 1/1 3/3 4/4\n"
    beside = {"plate.mtl": MTL.encode()} | {n: noise_png(16, i)[1] for i, n in enumerate(("wood grain.png", "ROUGH.PNG", "bumps.png", "normal.png"))}
    asset = read_asset(text.encode(), "plate.obj", beside)
    paint, plain = asset.model.materials
    assert_allclose(srgb_to_linear_float(np.array(paint.base_color[:3])), [0.25, 0.5, 1], atol=1e-6)
    assert_allclose(srgb_to_linear_float(np.array(paint.emission)), [0, 0.5, 0], atol=1e-6)
    assert (paint.roughness, paint.metallic, paint.base_color[3], paint.alpha_mode) == (0.3, 0.8, 0.6, "blend")
    assert (plain.roughness, plain.base_color[3], plain.alpha_mode) == (0.5, 0.75, "blend")
    uses = asset.uses[0]
    assert [u.role for u in uses] == ["base_color", "roughness", "height", "normal", "opacity"]
    assert [p.name for p in asset.pictures] == ["wood grain.png", "rough.png", "bumps.png", "normal.png"]
    # MTL counts v upwards: u' = 2 u + 0.25, v' = 3 v + 0.5.
    a, b, c, d, e, f = use_of(uses, "base_color").transform
    for u, v in ((0.0, 0.0), (0.3, 0.8)):
        assert a * u + b * (1 - v) + c == pytest.approx(2 * u + 0.25)
        assert 1 - (d * u + e * (1 - v) + f) == pytest.approx(3 * v + 0.5)
    assert use_of(uses, "roughness").part == "g"
    assert use_of(uses, "normal").wrap == ("clamp", "clamp")
    assert (use_of(uses, "height").low, use_of(uses, "height").high) == ((-0.5,), (0.5,))
    # The picture of opacity is that of colour: its alpha is meant.
    assert (use_of(uses, "opacity").picture, use_of(uses, "opacity").part) == (0, "a")
    told = {(n.about, n.outcome) for n in asset.model.notes}
    assert {("paint", "left out"), ("paint", "converted"), ("plain", "left out"), ("plain", "converted")} <= told


def test_obj_with_mtl_as_trimesh_reads_it(tmp_path: Path) -> None:
    pixels, data = noise_png(64, 9)
    (tmp_path / "plate.mtl").write_text("newmtl paint\nKd 0.2 0.4 0.6\nmap_Kd wood.png\nnewmtl bare\nKd 0.9 0.1 0.3\nd 0.5\n")
    (tmp_path / "wood.png").write_bytes(data)
    (tmp_path / "plate.obj").write_text(QUAD + "usemtl paint\nf 1/1 2/2 3/3\nusemtl bare\nf 1/1 3/3 4/4\n")
    asset = read_asset((tmp_path / "plate.obj").read_bytes(), "plate.obj", {p.name: p.read_bytes() for p in tmp_path.iterdir()})
    scene = trimesh.load(tmp_path / "plate.obj", process=False, split_object=False, group_material=True, force="scene")
    by_name = {g.visual.material.name: g for g in scene.geometry.values()}
    assert set(by_name) == {m.name for m in asset.model.materials}
    assert_array_equal(np.asarray(by_name["paint"].visual.material.image.convert("RGB")), pixels)
    assert asset.pictures[use_of(asset.uses[0], "base_color").picture].data == data
    bare = next(m for m in asset.model.materials if m.name == "bare")
    assert_allclose(srgb_to_linear_float(np.array(bare.base_color[:3])), by_name["bare"].visual.material.diffuse[:3] / 255, atol=3e-3)
    layout, model = asset.model.uv_layouts[0], asset.model
    for face, name in ((0, "paint"), (1, "bare")):
        mine = layout.uvs[layout.corner_uv[model.triangle_corners[face]]]
        theirs = by_name[name].visual.uv[by_name[name].faces[0]]
        assert_allclose(mine, theirs, atol=1e-6)


def test_a_picture_that_did_not_come_along_is_named() -> None:
    asset = read_asset((QUAD + "usemtl paint\nf 1/1 2/2 3/3\n").encode(), "plate.obj", {"plate.mtl": b"newmtl paint\nmap_Kd ..\\secret\\wood.png\n"})
    assert asset.uses == ((),)
    assert any("'wood.png' did not come along" in n.text for n in asset.model.notes)


PLY = """ply
format ascii 1.0
comment TextureFile one.png
comment TextureFile two.png
element vertex 4
property float x
property float y
property float z
element face 3
property list uchar int vertex_indices
property list uchar float texcoord
property int texnumber
end_header
0 0 0
1 0 0
1 1 0
0 1 0
3 0 1 2 6 0 0 1 0 1 1 0
3 0 2 3 6 0.5 0.5 0.75 1 0.25 1 1
3 0 1 3 2 0 0 1
"""


def test_ply_keeps_the_texture_coordinates_of_faces() -> None:
    one, two = noise_png(16, 1)[1], noise_png(16, 2)[1]
    asset = read_asset(PLY.encode(), "scan.ply", {"one.png": one, "two.png": two})
    model = asset.model
    layout = model.uv_layouts[0]
    assert layout.corner_uv[:6].min() >= 0
    assert_allclose(layout.uvs[layout.corner_uv[:6]], [[0, 0], [1, 0], [1, 1], [0.5, 0.5], [0.75, 1], [0.25, 1]])
    assert layout.corner_uv[6:].tolist() == [-1, -1, -1]
    assert [m.name for m in model.materials] == ["one", "two"]
    assert model.face_material.tolist() == [0, 1, 1]
    assert [asset.pictures[u[0].picture].data for u in asset.uses] == [one, two]
    assert any("1 face: there are fewer than corners" in n.text for n in model.notes)
    # The same coordinates at shared vertices would have been one value each: the seam is kept.
    other = trimesh.load(io.BytesIO(PLY.replace("\n3 0 1 3 2 0 0 1", "").replace("face 3", "face 2").encode()), file_type="ply", process=False)
    assert len(other.faces) == 2


def test_names_are_found_by_path_bare_name_escapes_and_case() -> None:
    files = Companions({"maps/Old Wood.PNG": b"wood", "plate.bin": b"bin"})
    assert files.find("maps/Old%20Wood.PNG") == b"wood"
    assert files.find("C:\\work\\old wood.png") == b"wood"
    assert files.find("./plate.bin") == b"bin"
    assert files.find("other.png") is None
    assert plain_path("..%2f..\\etc/./passwd") == "etc/passwd"


def test_percent_encoded_uris_in_a_gltf() -> None:
    glb = plate()
    document = {**glb.document, "buffers": [{"byteLength": len(glb.body), "uri": "old%20plate.bin"}]}
    data = json.dumps(document).encode()
    model = read_mesh(data, "plate.gltf", {"old plate.bin": bytes(glb.body)})
    assert len(model.triangles) == 2
    assert wanted_beside(data, "plate.gltf") == ["old plate.bin"]
    assert wanted_beside(MTL.encode(), "plate.mtl") == ["wood grain.png", "rough.png", "bumps.png", "normal.png", "wood grain.png"]
    assert wanted_beside(PLY.encode(), "scan.ply") == ["one.png", "two.png"]
    with pytest.raises(InputError, match="needs 'old plate.bin' beside it|needs 'old%20plate.bin' beside it"):
        read_mesh(data, "plate.gltf")


# -- layouts that repeat --------------------------------------------------------------------------------------------------------


def test_islands_go_home_by_whole_squares() -> None:
    model = plates((0.1, 0.1, 0.3, 0.3), (2.5, -3.5, 0.4, 0.4), (0.8, 0.2, 0.4, 0.4), (-1.0, 1.0, 1.0, 1.0))
    found = whole_squares(model, np.arange(4, dtype=np.int32))
    assert found is not None
    assert found.tolist() == [[0, 0], [2, -4], [1, 0], [-1, 1]]
    assert whole_squares(plates((0, 0, 1, 1), (0.2, 0.2, 0.3, 0.3)), np.arange(2, dtype=np.int32)) is None


def test_an_island_across_the_edge_covers_both_ends_of_the_square() -> None:
    """UVs from 0.75 to 1.25: the right quarter of the sheet and the left one hold its two halves."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    model = model_of(corners, [[0, 1, 2, 3]], np.array([[0.75, 0], [1.25, 0], [1.25, 1], [0.75, 1]]))
    samples = SheetSamples(model, plan_sheets(model, "materials")[0], 256)
    covered = samples.to_image(samples.covered)
    assert covered[:, :64].all()
    assert covered[:, 192:].all()
    assert not covered[:, 65:191].any()
    places = np.asarray(samples.to_image(samples.positions))
    assert_allclose(places[100, 200], [(200.5 / 256 - 0.75) * 2, 1 - 100.5 / 256, 0], atol=1e-5)
    assert_allclose(places[100, 30], [(30.5 / 256 + 0.25) * 2, 1 - 100.5 / 256, 0], atol=1e-5)
    assert np.unique(samples.triangles, return_counts=True)[1].tolist() == [2, 2]
    assert_array_equal(samples.texels_at(np.array([[-1.0, 300.0], [5.0, 5.0]])), [[255, 44], [5, 5]])
