"""MaterialX: a standard surface and a glTF PBR material for each sheet, with the same pictures."""

from __future__ import annotations

from typing import Any, ClassVar

from ruvelt.core.output.asset import AssetFile, AssetScene, AssetWriter
from ruvelt.core.output.asset_groups import MaterialGroup, identifier, material_groups

#: What both kinds of surface call what a sheet's material has: (map, type, standard surface, glTF PBR).
_INPUTS = (
    ("base_color", "color3", "base_color", "base_color"),
    ("roughness", "float", "specular_roughness", "roughness"),
    ("metallic", "float", "metalness", "metallic"),
    ("opacity", "float", "opacity", "alpha"),
    ("occlusion", "float", None, "occlusion"),
    ("emission", "color3", "emission_color", "emissive"),
)


class MaterialXAsset(AssetWriter):
    """MaterialX (1.38 and later): materials only, beside the mesh in another format; numbered tiles by <UDIM>."""

    id: ClassVar[str] = "materialx"
    label: ClassVar[str] = "MaterialX, materials only"
    rank: ClassVar[int] = 6

    def files(self, scene: AssetScene) -> list[AssetFile]:
        import MaterialX as mx

        groups = material_groups(scene.looks[0].displays, scene.pictures, tiles_together=True)
        document = mx.createDocument()
        document.setColorSpace("lin_rec709")
        standard, other = document.addLook("standard_surface"), document.addLook("gltf_pbr")
        for group in groups:
            maps = _Maps(document, group)
            parts = sorted({int(p) for d in group.displays for p in d.samples.model.face_part[d.sheet_samples.plan.faces]})
            names = [group.displays[0].samples.model.parts[p] for p in parts]
            geometry = ", ".join("/" + identifier(n or "part") for n in names)
            for look, kind, suffix in ((standard, "standard_surface", "standard"), (other, "gltf_pbr", "gltf")):
                material = _surface(document, group, maps, kind, suffix)
                assigned = look.addMaterialAssign(f"{group.name}_{suffix}", material.getName())
                assigned.setGeom(geometry)
        return [(f"{scene.stem}.mtlx", "mtlx", mx.writeToXmlString(document).encode())]


class _Maps:
    """Nodes that read pictures, in a graph of the material."""

    def __init__(self, document: Any, group: MaterialGroup) -> None:
        self._graph, self._group = document.addNodeGraph(f"{group.name}_maps"), group
        self._outputs: dict[str, Any] = {}

    def output(self, map_id: str, kind: str) -> tuple[str, str]:
        """The names of the graph and of its output for a map."""
        if map_id not in self._outputs:
            normal = map_id == "normal"
            image = self._graph.addNode("image", f"{map_id}_image", "vector3" if normal else kind)
            file = image.addInput("file", "filename")
            file.setValueString(self._group.picture(map_id))
            if kind == "color3":
                file.setColorSpace("srgb_texture")
            for key in ("uaddressmode", "vaddressmode"):
                image.addInput(key, "string").setValueString("periodic" if self._group.repeats or self._group.by_tiles else "clamp")
            node = image
            if normal:
                node = self._graph.addNode("normalmap", "normal_map", "vector3")
                node.addInput("in", "vector3").setNodeName(image.getName())
            output = self._graph.addOutput(map_id, "vector3" if normal else kind)
            output.setNodeName(node.getName())
            self._outputs[map_id] = output
        return self._graph.getName(), self._outputs[map_id].getName()


def _surface(document: Any, group: MaterialGroup, maps: _Maps, kind: str, suffix: str) -> Any:
    of = group.of
    values = {
        "base_color": of.base, "roughness": of.roughness, "metallic": of.metallic, "opacity": of.opacity,
        "occlusion": of.occlusion, "emission": of.emission,
    }  # fmt: skip
    shader = document.addNode(kind, f"{group.name}_{suffix}_surface", "surfaceshader")
    for map_id, type_name, standard, gltf in _INPUTS:
        name = standard if kind == "standard_surface" else gltf
        if name is None or (map_id == "opacity" and of.alpha == "opaque"):
            continue
        if map_id == "emission" and of.emission is not None and not any(of.emission):
            continue
        # Opacity of a standard surface is a colour.
        wide = "color3" if name == "opacity" else type_name
        given = shader.addInput(name, wide)
        value = values[map_id]
        if value is None:
            graph, output = maps.output("opacity", "float") if wide != type_name else maps.output(map_id, type_name)
            if wide != type_name:
                graph, output = _as_colour(document, group, graph, output)
            given.setNodeGraphString(graph)
            given.setOutputString(output)
        else:
            numbers = value if isinstance(value, tuple) else (value,) * (3 if wide == "color3" else 1)
            given.setValueString(", ".join(f"{v:.6g}" for v in numbers))
        if map_id == "emission":
            strength = shader.addInput("emission" if kind == "standard_surface" else "emissive_strength", "float")
            strength.setValueString(f"{of.emissive_strength:.6g}")
    if kind == "gltf_pbr":
        shader.addInput("alpha_mode", "integer").setValueString(str(("opaque", "mask", "blend").index(of.alpha)))
        if of.alpha == "mask":
            shader.addInput("alpha_cutoff", "float").setValueString(f"{of.cutoff:.6g}")
    if not of.flat:
        graph, output = maps.output("normal", "vector3")
        normal = shader.addInput("normal", "vector3")
        normal.setNodeGraphString(graph)
        normal.setOutputString(output)
    material = document.addNode("surfacematerial", f"{group.name}_{suffix}", "material")
    material.addInput("surfaceshader", "surfaceshader").setNodeName(shader.getName())
    return material


def _as_colour(document: Any, group: MaterialGroup, graph: str, output: str) -> tuple[str, str]:
    found = document.getNodeGraph(graph)
    if found.getOutput("opacity_color") is None:
        node = found.addNode("convert", "opacity_as_color", "color3")
        node.addInput("in", "float").setNodeName(found.getOutput(output).getNodeName())
        found.addOutput("opacity_color", "color3").setNodeName(node.getName())
    return graph, "opacity_color"
