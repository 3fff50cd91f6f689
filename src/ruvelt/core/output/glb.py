"""GLB (glTF 2.0) with the maps wired in: the file's tree of nodes, a mesh for each part, a primitive and a material for each sheet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.output.asset_pictures import AssetPictures
from ruvelt.core.output.glb_binary import ARRAY, ELEMENTS, FLOAT, UINT, Binary, glb_bytes, scene_document
from ruvelt.core.output.glb_geometry import SheetCorners, node_tree, place_locally, sheet_corners
from ruvelt.core.output.gltf_materials import GltfMaterials
from ruvelt.core.output.mapset import Look
from ruvelt.core.output.presets import ExportPreset

_REPEAT, _CLAMP = 10497, 33071
VARIANTS = "KHR_materials_variants"


def build_glb(looks: Sequence[Look], preset: ExportPreset) -> bytes:
    """The whole asset as one file, its pictures inside."""
    document, binary = gltf_document(looks, preset, AssetPictures(preset, "asset", ()), True)
    return glb_bytes(document, binary)


def gltf_document(looks: Sequence[Look], preset: ExportPreset, pictures: AssetPictures, inside: bool) -> tuple[dict[str, Any], Binary]:
    """The JSON without its buffers, and them. Maps follow glTF whatever the preset packs: base colour + opacity, ORM, normal (Y up), emission.

    inside : pictures lie in the binary; otherwise they are files beside it

    Several looks are variants of its materials (KHR_materials_variants), the first one shown where a viewer knows of none.
    """
    model = looks[0].displays[0].samples.model
    nodes, worlds = node_tree(model)
    binary = Binary()
    materials = GltfMaterials(binary, pictures, sheet_corners(looks[0].displays[0]).painted, inside)
    world_of = {n["mesh"]: w for n, w in zip(nodes, worlds, strict=True) if "mesh" in n}
    primitives: dict[int, list[dict[str, Any]]] = {}
    for number, display in enumerate(looks[0].displays):
        of_looks = [materials.add(look.displays[number], look.name) for look in looks]
        corners = sheet_corners(display)
        for part in np.unique(corners.part).tolist():
            primitive = _primitive(binary, corners, part, world_of.get(part, np.eye(4)), of_looks[0], preset.tangents)
            if len(looks) > 1:
                mappings = [{"material": m, "variants": [i for i, x in enumerate(of_looks) if x == m]} for m in dict.fromkeys(of_looks)]
                primitive["extensions"] = {VARIANTS: {"mappings": mappings}}
            primitives.setdefault(part, []).append(primitive)
    document = scene_document(model, nodes, primitives, materials.entries)
    if len(looks) > 1:
        document |= {"extensions": {VARIANTS: {"variants": [{"name": look.name} for look in looks]}}}
    if materials.textures:
        wraps = [_CLAMP, _REPEAT] if any(t["sampler"] for t in materials.textures) else [_CLAMP]
        document |= {
            "textures": materials.textures,
            "samplers": [{"magFilter": 9729, "minFilter": 9987, "wrapS": w, "wrapT": w} for w in wraps],
            "images": materials.images,
        }
    used = sorted(materials.extensions | ({VARIANTS} if len(looks) > 1 else set()))
    if used:
        document["extensionsUsed"] = used
    return document, binary


def _primitive(binary: Binary, corners: SheetCorners, part: int, world: NDArray[np.float64], material: int, tangents: bool) -> dict[str, Any]:
    rows, indices = place_locally(corners, part, world)
    attributes: dict[str, int] = {}
    at = 0
    names = [("POSITION", 3), ("NORMAL", 3), ("TANGENT", 4), *((f"TEXCOORD_{k}", 2) for k in range(corners.uv_sets))]
    for key, width in [*names, ("COLOR_0", 4)] if corners.coloured else names:
        values = np.ascontiguousarray(rows[:, at : at + width])
        if key != "TANGENT" or tangents:
            attributes[key] = binary.accessor(values, f"VEC{width}", FLOAT, ARRAY, key == "POSITION")
        at += width
    return {"attributes": attributes, "indices": binary.accessor(indices, "SCALAR", UINT, ELEMENTS), "material": material}
