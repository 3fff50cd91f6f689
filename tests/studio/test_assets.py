"""Whole assets in every format: valid by the formats' own validators, and read back by other libraries with the same surface and pixels."""

from __future__ import annotations

import io
import json
import subprocess
import zipfile
from pathlib import Path

import MaterialX as mx
import numpy as np
import plyfile
import pytest
import trimesh
from numpy.testing import assert_allclose, assert_array_equal
from PIL import Image
from pxr import Sdf, Usd, UsdGeom, UsdShade, UsdValidation

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.output.asset import asset_writers
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import FillLayer
from ruvelt.core.stack.edits import AddChannel, AddLayer, SetSheet
from ruvelt.studio.exports import export_project
from ruvelt.studio.session import Session
from ruvelt.studio.studio import Studio
from tests.core.test_glb import validate

FRONT = Path(__file__).parents[2] / "frontend"
SEPARATE = next(p for p in BUILT_IN if p.id == "separate-maps")
BESIDE = """
const fs = require('fs'), path = require('path'), file = process.argv[1], folder = path.dirname(file);
require('gltf-validator').validateBytes(new Uint8Array(fs.readFileSync(file)), {
  uri: path.basename(file),
  externalResourceFunction: (uri) => Promise.resolve(new Uint8Array(fs.readFileSync(path.join(folder, decodeURIComponent(uri))))),
}).then((r) => process.stdout.write(JSON.stringify(r)));
"""
#: Two squares side by side in the layout, in tiles 1001 and 1002.
TILES = b"""o board
v -1 -1 0\nv 0 -1 0\nv 1 -1 0\nv -1 1 0\nv 0 1 0\nv 1 1 0
vt 0.05 0.05\nvt 0.95 0.05\nvt 0.95 0.95\nvt 0.05 0.95\nvt 1.05 0.05\nvt 1.95 0.05\nvt 1.95 0.95\nvt 1.05 0.95
f 1/1 2/2 5/3 4/4
f 2/5 3/6 6/7 5/8
"""


def noise(layer: str, channel: str, values: tuple[tuple[float, ...], ...]) -> FillLayer:
    """A channel that varies over the sheet."""
    mask = {"sources": [{"kind": "noise", "id": "m"}]}
    return FillLayer.model_validate({"id": layer, "name": layer, "channels": {channel: {"value": values[0]}}, "mask": mask})


def varied(session: Session, *channels: str) -> None:
    values = {"base_color": (0.9, 0.2, 0.1), "emission": (0.1, 0.9, 0.3)}
    for sheet in session.document.textured:
        for channel in channels:
            layer = noise(f"v_{channel}", channel, (values.get(channel, (0.35,)),))
            session.edit(AddLayer(sheet=sheet.id, layer=layer), "Add")


ALL = ("base_color", "roughness", "metallic", "opacity", "occlusion", "emission", "height")


@pytest.fixture(scope="module")
def crate(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """The cube with everything varied, in every format of assets and separate maps."""
    from ruvelt.studio.limits import Limits
    from tests.conftest import Clock
    from tests.meshes import CUBE_MTL, cube_obj

    folder = tmp_path_factory.mktemp("assets")
    here = Studio(folder / "data", Limits(memory_bytes=256 << 20, threads=2), Clock())
    session = here.session(here.create(cube_obj(), "cube.obj", name="Crate", resolution=256, companions={"cube.mtl": CUBE_MTL}))
    varied(session, *ALL)
    for name in ("out", "again"):
        export_project(session, SEPARATE.model_copy(update={"assets": tuple(asset_writers())}), folder / name)
    here.close()
    return folder / "out"


def test_gltf_with_files_beside_it_is_valid(crate: Path) -> None:
    done = subprocess.run(["node", "-e", BESIDE, str(crate / "Crate_asset.gltf")], capture_output=True, cwd=FRONT, check=True)
    report = json.loads(done.stdout)
    assert (report["issues"]["numErrors"], report["issues"]["numWarnings"]) == (0, 0), report["issues"]
    named = {r["uri"] for r in report["info"]["resources"]}
    assert "Crate_asset.bin" in named
    # Maps that the set has as glTF wants them are not written a second time.
    assert {"Crate_Wood_normal.png", "Crate_Wood_emission.png", "Crate_Wood_orm.png"} <= named
    assert not list(crate.glob("Crate_Wood_normal_asset*"))
    scene = trimesh.load(crate / "Crate_asset.gltf", process=False)
    assert_allclose(scene.bounds, [[-1, -1, -1], [1, 1, 1]], atol=1e-6)
    glb = json.loads(validate_json(crate / "Crate_asset.glb"))
    assert (glb["numErrors"], glb["numWarnings"]) == (0, 0)


def test_two_exports_are_equal_to_the_byte(crate: Path) -> None:
    names = sorted(f.name for f in crate.iterdir())
    assert names == sorted(f.name for f in (crate.parent / "again").iterdir())
    assert len(names) > 24
    for name in names:
        assert (crate / name).read_bytes() == (crate.parent / "again" / name).read_bytes(), name


def validate_json(path: Path) -> str:
    return json.dumps(validate(path.read_bytes()))


def test_obj_with_its_library_is_read_by_another_reader(crate: Path) -> None:
    lines = (crate / "Crate_asset.mtl").read_text().splitlines()
    for key in ("map_Kd", "map_d", "map_Pr", "map_Pm", "map_Ke", "norm"):
        files = [line.split(" ", 1)[1] for line in lines if line.startswith(key + " ")]
        assert len(files) == 2, key
        assert all((crate / f).is_file() for f in files)
    scene = trimesh.load(crate / "Crate_asset.obj", process=False)
    meshes = list(scene.geometry.values()) if isinstance(scene, trimesh.Scene) else [scene]
    assert_allclose(scene.bounds, [[-1, -1, -1], [1, 1, 1]], atol=1e-6)
    assert_allclose(sum(m.area for m in meshes), 24, rtol=1e-6)
    # Polygons stay polygons.
    assert sum(1 for line in (crate / "Crate_asset.obj").read_text().splitlines() if line.startswith("f ") and len(line.split()) == 5) == 6


def test_ply_names_its_picture(crate: Path) -> None:
    for sheet in ("Wood", "Iron"):
        mesh = plyfile.PlyData.read(crate / f"Crate_asset_{sheet}.ply")
        assert f"TextureFile Crate_{sheet}_base_color.png" in mesh.comments
        assert (crate / f"Crate_{sheet}_base_color.png").is_file()
        assert {"s", "t", "nx"} <= set(mesh["vertex"].data.dtype.names)
        assert_allclose(np.linalg.norm([mesh["vertex"][n] for n in ("nx", "ny", "nz")], axis=0), 1, atol=1e-5)


def usd_errors(path: Path) -> list[str]:
    """What USD's own validators (as usdchecker runs them) say."""
    context = UsdValidation.ValidationContext(UsdValidation.ValidationRegistry().GetOrLoadAllValidators())
    return [f"{e.GetName()}: {e.GetMessage()}" for e in context.Validate(Usd.Stage.Open(str(path)))]


@pytest.mark.parametrize("suffix", ["usda", "usdz"])
def test_usd_is_valid_and_wired(crate: Path, suffix: str) -> None:
    path = crate / f"Crate_asset.{suffix}"
    assert usd_errors(path) == []
    stage = Usd.Stage.Open(str(path))
    assert UsdGeom.GetStageUpAxis(stage) == "Y"
    meshes = [UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh)]
    points = np.concatenate([m.GetPointsAttr().Get() for m in meshes])
    assert_allclose([points.min(axis=0), points.max(axis=0)], [[-1, -1, -1], [1, 1, 1]])
    assert set(np.concatenate([m.GetFaceVertexCountsAttr().Get() for m in meshes])) == {4}
    files = {}
    for prim in stage.Traverse():
        if prim.GetTypeName() == "Shader" and UsdShade.Shader(prim).GetIdAttr().Get() == "UsdUVTexture":
            shader = UsdShade.Shader(prim)
            asset = shader.GetInput("file").Get()
            assert asset.resolvedPath, asset.path
            files[str(prim.GetPath())] = shader.GetInput("sourceColorSpace").Get()
    for key, space in (("base_color_map", "sRGB"), ("emission_map", "sRGB"), ("roughness_map", "raw"), ("normal_map", "raw")):
        assert {s for p, s in files.items() if p.endswith(key)} == {space}
    if suffix == "usdz":
        # The package has everything, stored, and its pictures are those of the set.
        archive = zipfile.ZipFile(path)
        assert {i.compress_type for i in archive.infolist()} == {zipfile.ZIP_STORED}
        name = next(n for n in archive.namelist() if "Wood_base_color" in n)
        assert_array_equal(np.asarray(Image.open(io.BytesIO(archive.read(name)))), np.asarray(Image.open(crate / "Crate_Wood_base_color.png")))


def test_materialx_is_valid_and_names_files_that_are_there(crate: Path) -> None:
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(crate / "Crate_asset.mtlx"))
    library = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), library)
    document.setDataLibrary(library)
    valid, message = document.validate()
    assert valid, message
    assert {n.getCategory() for n in document.getNodes()} == {"standard_surface", "gltf_pbr", "surfacematerial"}
    ours = [g for g in document.getNodeGraphs() if g.getName().endswith("_maps")]
    files = [i.getInput("file") for g in ours for i in g.getNodes("image")]
    assert len(files) == 14
    for file in files:
        assert (crate / file.getValueString()).is_file()
        colour = any(word in file.getValueString() for word in ("base_color", "emission"))
        assert file.getColorSpace() == ("srgb_texture" if colour else "")
    # Every node is one that the standard library defines.
    assert all(n.getNodeDef() is not None for n in document.getNodes() if n.getCategory() != "surfacematerial")
    assert all(n.getNodeDef() is not None for g in ours for n in g.getNodes())


def test_even_channels_are_values_in_every_format(studio: Studio, cube: str, tmp_path: Path) -> None:
    session = studio.session(cube)
    sheet = session.document.textured[0].id
    values = {"base_color": (0.5, 0.25, 0.75), "roughness": (0.25,), "metallic": (0.75,)}
    layer = FillLayer.model_validate({"id": "e", "name": "Even", "channels": {c: {"value": v} for c, v in values.items()}})
    session.edit(AddLayer(sheet=sheet, layer=layer), "Add")
    preset = SEPARATE.model_copy(update={"assets": ("obj", "usd", "materialx", "gltf")})
    export_project(session, preset, tmp_path / "out", sheets=[sheet])
    light = srgb_to_linear_float([0.5, 0.25, 0.75])
    stage = Usd.Stage.Open(str(tmp_path / "out" / "Crate_asset.usda"))
    surface = next(UsdShade.Shader(p) for p in stage.Traverse() if UsdShade.Shader(p) and UsdShade.Shader(p).GetIdAttr().Get() == "UsdPreviewSurface")
    assert_allclose(surface.GetInput("diffuseColor").Get(), light, atol=1e-4)
    assert surface.GetInput("roughness").Get() == pytest.approx(0.25, abs=1e-4)
    assert usd_errors(tmp_path / "out" / "Crate_asset.usda") == []
    library = (tmp_path / "out" / "Crate_asset.mtl").read_text()
    told = [float(v) for v in next(line for line in library.splitlines() if line.startswith("Kd")).split()[1:]]
    assert_allclose(told, light, atol=1e-4)
    assert float(next(line for line in library.splitlines() if line.startswith("Pm ")).split()[1]) == pytest.approx(0.75, abs=1e-4)
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(tmp_path / "out" / "Crate_asset.mtlx"))
    surfaces = document.getNodes("gltf_pbr")
    assert_allclose(surfaces[0].getInput("base_color").getValue().asTuple(), light, atol=1e-4)
    (material,) = json.loads((tmp_path / "out" / "Crate_asset.gltf").read_text())["materials"]
    assert_allclose(material["pbrMetallicRoughness"]["baseColorFactor"], [*light, 1], atol=1e-4)


def test_numbered_tiles_are_one_material_by_udim(studio: Studio, tmp_path: Path) -> None:
    session = studio.session(studio.create(TILES, "board.obj", name="Board", resolution=256))
    assert [s.name for s in session.document.textured] == ["1001", "1002"]
    varied(session, "base_color", "roughness", "height")
    export_project(session, SEPARATE.model_copy(update={"assets": ("usd", "materialx", "obj")}), tmp_path / "out")
    stage = Usd.Stage.Open(str(tmp_path / "out" / "Board_asset.usda"))
    files = [UsdShade.Shader(p).GetInput("file").Get() for p in stage.Traverse() if UsdShade.Shader(p) and UsdShade.Shader(p).GetInput("file")]
    assert {Path(f.path).name for f in files} == {f"Board_<UDIM>_{m}.png" for m in ("base_color", "roughness", "normal")}
    # USD's own check of normal maps looks for a file of that very name; it knows of no tiles.
    assert [e for e in usd_errors(tmp_path / "out" / "Board_asset.usda") if not ("InvalidFile" in e and "<UDIM>" in e)] == []
    mesh = next(UsdGeom.Mesh(p) for p in stage.Traverse() if p.IsA(UsdGeom.Mesh))
    assert np.max(UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st").Get()) == pytest.approx(1.95)
    document = mx.createDocument()
    mx.readFromXmlFile(document, str(tmp_path / "out" / "Board_asset.mtlx"))
    assert {i.getInput("file").getValueString() for g in document.getNodeGraphs() for i in g.getNodes("image")} == {Path(f.path).name for f in files}
    # A format that knows of no tiles has a material for each, and coordinates in its own square.
    obj = (tmp_path / "out" / "Board_asset.obj").read_text()
    assert obj.count("usemtl") == 2
    assert max(float(line.split()[1]) for line in obj.splitlines() if line.startswith("vt ")) == pytest.approx(0.95)


def test_clear_coat_sheen_and_transmission_are_extensions(studio: Studio, cube: str, tmp_path: Path) -> None:
    session = studio.session(cube)
    own = [Channel(id=i, name=i, kind="data", start=(0.2,)) for i in ("clearcoat", "clearcoat_roughness", "transmission", "sheen_roughness")]
    own.append(Channel(id="sheen", name="Sheen", kind="colour", start=(0.1, 0.2, 0.3)))
    for channel in own:
        session.edit(AddChannel(channel=channel), "Channel")
    sheet = session.document.textured[0].id
    session.edit(SetSheet(sheet=sheet, values={"emissive_strength": 4.0}), "Strength")
    varied(session, "base_color", "emission")
    preset = ExportPreset(id="own", name="Own", maps=SEPARATE.maps[:1], assets=("gltf", "usd"), tangents=False)
    export_project(session, preset, tmp_path / "out", sheets=[sheet])
    done = subprocess.run(["node", "-e", BESIDE, str(tmp_path / "out" / "Crate_asset.gltf")], capture_output=True, cwd=FRONT, check=True)
    issues = json.loads(done.stdout)["issues"]
    assert (issues["numErrors"], issues["numWarnings"]) == (0, 0), issues
    document = json.loads((tmp_path / "out" / "Crate_asset.gltf").read_text())
    assert set(document["extensionsUsed"]) == {
        f"KHR_materials_{k}" for k in ("clearcoat", "sheen", "transmission", "emissive_strength")
    }  # fmt: skip
    extensions = document["materials"][0]["extensions"]
    assert extensions["KHR_materials_emissive_strength"] == {"emissiveStrength": 4.0}
    assert "TANGENT" not in document["meshes"][0]["primitives"][0]["attributes"]
    sheen = document["textures"][extensions["KHR_materials_sheen"]["sheenColorTexture"]["index"]]["source"]
    pixels = np.asarray(Image.open(tmp_path / "out" / document["images"][sheen]["uri"]))
    assert_allclose(pixels[128, 128] / 255, [0.1, 0.2, 0.3, 0.2], atol=0.003)
    assert usd_errors(tmp_path / "out" / "Crate_asset.usda") == []
    assert Sdf.Layer.FindOrOpen(str(tmp_path / "out" / "Crate_asset.usda")) is not None
