"""USD with UsdPreviewSurface materials: text with pictures beside it, or a package with everything inside."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path
from typing import Any, ClassVar

import numpy as np

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.errors import StorageError
from ruvelt.core.output.asset import AssetFile, AssetScene, AssetWriter
from ruvelt.core.output.asset_groups import UDIM, Corners, MaterialGroup, corners_of, identifier, material_groups
from ruvelt.core.output.asset_pictures import grey_spec

#: 1990-01-01 in seconds, for every file in a package.
SAME_TIME = 631152000


class UsdAsset(AssetWriter):
    """USD as text (usda), pictures beside it, numbered tiles by <UDIM>."""

    id: ClassVar[str] = "usd"
    label: ClassVar[str] = "USD, files beside it"
    rank: ClassVar[int] = 4

    def files(self, scene: AssetScene) -> list[AssetFile]:
        groups = material_groups(scene.looks[0].displays, scene.pictures, tiles_together=True)
        return [(f"{scene.stem}.usda", "usda", usd_text(groups, scene.stem).encode())]


class UsdzAsset(AssetWriter):
    """USD as a package (usdz), pictures inside."""

    id: ClassVar[str] = "usdz"
    label: ClassVar[str] = "USDZ, everything in one file"
    rank: ClassVar[int] = 5

    def files(self, scene: AssetScene) -> list[AssetFile]:
        from pxr import Sdf

        # Each tile is a material of its own here: readers of packages know little of <UDIM>.
        groups = material_groups(scene.looks[0].displays, scene.pictures.inside(), tiles_together=False)
        text = usd_text(groups, scene.stem)
        pictures = groups[0].pictures.made
        with tempfile.TemporaryDirectory() as place:
            folder = Path(place)
            layer = Sdf.Layer.CreateAnonymous(".usda")
            layer.ImportFromString(text)
            layer.Export(str(folder / "asset.usdc"))
            package = Sdf.ZipFileWriter.CreateNew(str(folder / "asset.usdz"))
            for name, _, data in pictures:
                (folder / name).write_bytes(data)
            # The first file in the package is what is opened; times are not written, so that it repeats to the byte.
            for file, called in (("asset.usdc", f"{scene.stem}.usdc"), *((name, name) for name, _, _ in pictures)):
                os.utime(folder / file, (SAME_TIME, SAME_TIME))
                package.AddFile(str(folder / file), called)
            if not package.Save():
                raise StorageError("The USDZ could not be written. Free some space, or choose another format.")
            return [(f"{scene.stem}.usdz", "usdz", (folder / "asset.usdz").read_bytes())]


def usd_text(groups: list[MaterialGroup], name: str) -> str:
    """A stage as text: an Xform for the asset, a mesh for each part, subsets of its faces for each material."""
    from pxr import Usd, UsdGeom

    corners = corners_of(groups)
    stage = Usd.Stage.CreateInMemory()
    UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    root = UsdGeom.Xform.Define(stage, f"/{identifier(name)}")
    stage.SetDefaultPrim(root.GetPrim())
    Usd.ModelAPI(root).SetKind("component")
    UsdGeom.Scope.Define(stage, root.GetPath().AppendChild("Materials"))
    materials = [_material(stage, root.GetPath(), g) for g in groups]
    taken: set[str] = {"materials"}
    for part in range(len(corners.model.parts)):
        faces = np.flatnonzero((corners.model.face_part == part) & (corners.face_group >= 0))
        if not len(faces):
            continue
        called = plain = identifier(corners.model.parts[part] or "part")
        while called.lower() in taken:
            called = f"{plain}_{len(taken)}"
        taken.add(called.lower())
        _mesh(stage, root.GetPath().AppendChild(called), corners, faces, groups, materials)
    return str(stage.GetRootLayer().ExportToString())


def _mesh(stage: Any, path: Any, corners: Corners, faces: np.ndarray, groups: list[MaterialGroup], materials: list[Any]) -> None:
    from pxr import Sdf, UsdGeom, UsdShade, Vt

    model = corners.model
    mesh = UsdGeom.Mesh.Define(stage, path)
    counts = np.diff(model.face_starts)[faces]
    mine = np.concatenate([np.arange(model.face_starts[f], model.face_starts[f + 1]) for f in faces.tolist()])
    used, local = np.unique(model.corner_vertex[mine], return_inverse=True)
    points = np.ascontiguousarray(model.positions[used])
    mesh.CreatePointsAttr(Vt.Vec3fArray.FromNumpy(points))
    mesh.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(counts.astype(np.int32)))
    mesh.CreateFaceVertexIndicesAttr(Vt.IntArray.FromNumpy(local.astype(np.int32)))
    mesh.CreateNormalsAttr(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(corners.normals[mine])))
    mesh.SetNormalsInterpolation(UsdGeom.Tokens.faceVarying)
    mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
    mesh.CreateExtentAttr(Vt.Vec3fArray.FromNumpy(np.stack([points.min(axis=0), points.max(axis=0)])))
    present = np.unique(corners.face_group[faces]).tolist()
    if any(groups[g].of.double_sided for g in present):
        mesh.CreateDoubleSidedAttr(True)
    primvars = UsdGeom.PrimvarsAPI(mesh)
    for number, uv in enumerate(corners.uvs):
        st = primvars.CreatePrimvar("st" if number == 0 else f"st{number}", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.faceVarying)
        st.Set(Vt.Vec2fArray.FromNumpy(np.ascontiguousarray(uv[mine])))
    if corners.colours is not None:
        colour = primvars.CreatePrimvar("displayColor", Sdf.ValueTypeNames.Color3fArray, UsdGeom.Tokens.vertex)
        colour.Set(Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(srgb_to_linear_float(corners.colours[used, :3]).astype(np.float32))))
    UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim())
    if len(present) == 1:
        UsdShade.MaterialBindingAPI(mesh).Bind(materials[present[0]])
        return
    for g in present:
        subset = UsdGeom.Subset.Define(stage, path.AppendChild(groups[g].name))
        subset.CreateElementTypeAttr(UsdGeom.Tokens.face)
        subset.CreateFamilyNameAttr(UsdShade.Tokens.materialBind)
        subset.CreateIndicesAttr(Vt.IntArray.FromNumpy(np.flatnonzero(corners.face_group[faces] == g).astype(np.int32)))
        UsdShade.MaterialBindingAPI.Apply(subset.GetPrim()).Bind(materials[g])
    UsdGeom.Subset.SetFamilyType(mesh, UsdShade.Tokens.materialBind, UsdGeom.Tokens.partition)


def _material(stage: Any, root: Any, group: MaterialGroup) -> Any:
    """A UsdPreviewSurface: values where a channel is even, textures where it is not."""
    from pxr import Gf, Sdf, UsdShade

    types = Sdf.ValueTypeNames
    path = root.AppendPath(f"Materials/{group.name}")
    material = UsdShade.Material.Define(stage, path)
    surface = UsdShade.Shader.Define(stage, path.AppendChild("Surface"))
    surface.CreateIdAttr("UsdPreviewSurface")
    material.CreateSurfaceOutput().ConnectToSource(surface.CreateOutput("surface", types.Token))
    reader = UsdShade.Shader.Define(stage, path.AppendChild("Coordinates"))
    reader.CreateIdAttr("UsdPrimvarReader_float2")
    reader.CreateInput("varname", types.String).Set("st")
    coordinates = reader.CreateOutput("result", types.Float2)

    def texture(map_id: str, space: str, file: str) -> Any:
        made = UsdShade.Shader.Define(stage, path.AppendChild(f"{identifier(map_id)}_map"))
        made.CreateIdAttr("UsdUVTexture")
        made.CreateInput("file", types.Asset).Set(Sdf.AssetPath(f"./{file}"))
        made.CreateInput("st", types.Float2).ConnectToSource(coordinates)
        made.CreateInput("sourceColorSpace", types.Token).Set(space)
        wrap = "repeat" if group.repeats or UDIM in file else "clamp"
        for key in ("wrapS", "wrapT"):
            made.CreateInput(key, types.Token).Set(wrap)
        return made

    def wire(name: str, kind: Any, map_id: str, output: str, space: str = "raw") -> Any:
        made = texture(map_id, space, group.picture(map_id))
        surface.CreateInput(name, kind).ConnectToSource(made.CreateOutput(output, types.Float3 if output == "rgb" else types.Float))
        return made

    of = group.of
    if of.base is not None:
        surface.CreateInput("diffuseColor", types.Color3f).Set(Gf.Vec3f(*of.base))
    else:
        wire("diffuseColor", types.Color3f, "base_color", "rgb", "sRGB")
    for name, value in (("roughness", of.roughness), ("metallic", of.metallic), ("occlusion", of.occlusion), ("opacity", of.opacity)):
        if value is not None:
            surface.CreateInput(name, types.Float).Set(value)
        else:
            wire(name, types.Float, name, "r")
    if of.alpha == "mask":
        surface.CreateInput("opacityThreshold", types.Float).Set(of.cutoff)
    if of.emission is None:
        made = wire("emissiveColor", types.Color3f, "emission", "rgb", "sRGB")
        if of.emissive_strength != 1:
            made.CreateInput("scale", types.Float4).Set(Gf.Vec4f(*(of.emissive_strength,) * 3, 1))
    elif any(of.emission):
        surface.CreateInput("emissiveColor", types.Color3f).Set(Gf.Vec3f(*(e * of.emissive_strength for e in of.emission)))
    if not of.flat:
        made = wire("normal", types.Normal3f, "normal", "rgb")
        made.CreateInput("scale", types.Float4).Set(Gf.Vec4f(2, 2, 2, 1))
        made.CreateInput("bias", types.Float4).Set(Gf.Vec4f(-1, -1, -1, 0))
    for what, channel in of.coats:
        if what in ("clearcoat", "clearcoat_roughness"):
            made = texture(channel, "raw", group.picture_of(grey_spec(channel)))
            name = {"clearcoat": "clearcoat", "clearcoat_roughness": "clearcoatRoughness"}[what]
            surface.CreateInput(name, types.Float).ConnectToSource(made.CreateOutput("r", types.Float))
    return material
