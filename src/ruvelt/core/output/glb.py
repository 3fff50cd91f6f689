"""GLB (glTF 2.0) with the maps wired in: the file's tree of nodes, a mesh for each part, a primitive and a material for each sheet."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.color.encoding import srgb_to_linear_float
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.glb_binary import ARRAY, ELEMENTS, FLOAT, UINT, Binary, glb_bytes, scene_document
from ruvelt.core.output.glb_geometry import SheetCorners, node_tree, place_locally, sheet_corners
from ruvelt.core.output.images import encode_png
from ruvelt.core.output.mapset import Look, map_version, render_map
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.planes.plane import U16
from ruvelt.core.planes.versions import version_of
from ruvelt.core.samples.address import CHUNK
from ruvelt.core.stack.channels import encode

_REPEAT, _CLAMP = 10497, 33071
VARIANTS = "KHR_materials_variants"


class _Materials:
    """Materials and pictures as they grow."""

    def __init__(self, binary: Binary, preset: ExportPreset, uv_set: int) -> None:
        packed = next(p for p in BUILT_IN if p.id == "packed-orm").model_copy(
            update={"size": preset.size, "padding": preset.padding, "fill": preset.fill}
        )
        self._packed, self._specs = packed, {m.id: m for m in packed.maps}
        self._binary, self._uv_set = binary, uv_set
        self.images: list[dict[str, Any]] = []
        self.textures: list[dict[str, Any]] = []
        self.entries: list[dict[str, Any]] = []
        self._made: dict[tuple[str, str, int], dict[str, int]] = {}
        self._known: dict[tuple[str, int], int] = {}

    def add(self, display: SheetDisplay, variant: str = "") -> int:
        """The number of a sheet's material; variants that differ in nothing share one."""
        sheet = display.evaluator.sheet
        traits = (sheet.double_sided, sheet.alpha_mode, sheet.alpha_cutoff)
        key = (sheet.id, version_of(traits, [map_version(display, spec) for spec in self._packed.maps]))
        if key not in self._known:
            self._known[key] = len(self.entries)
            self._material(display, f"{sheet.name}, {variant}" if variant and any(k[0] == sheet.id for k in list(self._known)[:-1]) else sheet.name)
        return self._known[key]

    def _material(self, display: SheetDisplay, name: str) -> None:
        """A channel that is even all over is a factor; the others are pictures."""
        sheet = display.evaluator.sheet
        entry: dict[str, Any] = {"name": name, "pbrMetallicRoughness": self._pbr(display)}
        orm = entry["pbrMetallicRoughness"].get("metallicRoughnessTexture")
        if even(display, "occlusion") != [65535]:
            entry["occlusionTexture"] = orm if orm is not None else self._texture(display, "orm")
        if not _flat(display):
            entry["normalTexture"] = self._texture(display, "normal")
        glow = even(display, "emission")
        if glow is None:
            entry["emissiveFactor"], entry["emissiveTexture"] = [1, 1, 1], self._texture(display, "emission")
        elif any(glow):
            entry["emissiveFactor"] = _linear(glow)
        if sheet.double_sided:
            entry["doubleSided"] = True
        if sheet.alpha_mode == "mask":
            entry |= {"alphaMode": "MASK", "alphaCutoff": sheet.alpha_cutoff}
        elif sheet.alpha_mode == "blend" or (sheet.alpha_mode == "auto" and _clear(display)):
            entry["alphaMode"] = "BLEND"
        self.entries.append(entry)

    def _pbr(self, display: SheetDisplay) -> dict[str, Any]:
        opaque = display.evaluator.sheet.alpha_mode == "opaque"
        base, alpha = even(display, "base_color"), [65535] if opaque else even(display, "opacity")
        rough, metal = even(display, "roughness"), even(display, "metallic")
        made: dict[str, Any] = {}
        if base is not None and alpha is not None:
            made["baseColorFactor"] = [*_linear(base), alpha[0] / 65535]
        else:
            key = (display.evaluator.sheet.id, f"base_color{opaque}", map_version(display, self._specs["base_color"]))
            if key not in self._made:
                image = render_map(display, self._specs["base_color"], self._packed)
                keep = not opaque and bool((image[..., 3] < 65000).any())
                self._made[key] = self._picture(display, "base_color", image if keep else np.ascontiguousarray(image[..., :3]))
            made["baseColorTexture"] = self._made[key]
        if rough is not None and metal is not None:
            made |= {"roughnessFactor": rough[0] / 65535, "metallicFactor": metal[0] / 65535}
        else:
            # One picture for all three, also where occlusion is even.
            made["metallicRoughnessTexture"] = self._texture(display, "orm")
        return made

    def _texture(self, display: SheetDisplay, map_id: str) -> dict[str, int]:
        key = (display.evaluator.sheet.id, map_id, map_version(display, self._specs[map_id]))
        if key not in self._made:
            self._made[key] = self._picture(display, map_id, render_map(display, self._specs[map_id], self._packed))
        return self._made[key]

    def _picture(self, display: SheetDisplay, map_id: str, image: U16) -> dict[str, int]:
        label = f"{display.evaluator.sheet.name} {self._specs[map_id].name}"
        self.images.append({"name": label, "mimeType": "image/png", "bufferView": self._binary.view(encode_png(image, 8))})
        self.textures.append({"source": len(self.images) - 1, "sampler": int(display.sheet_samples.plan.squares is not None)})
        found = {"index": len(self.textures) - 1}
        return found if self._uv_set == 0 else {**found, "texCoord": self._uv_set}


def even(display: SheetDisplay, channel: str) -> list[int] | None:
    """The codes of a channel that has one value on the whole sheet (its start, where no texel is covered); None where it varies."""
    found: U16 | None = None
    for chunk in range(display.samples.chunk_count):
        covered = display.samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK]
        if not covered.any():
            continue
        values_u16 = display.evaluator.composite(channel, chunk)[:, covered]
        if found is None:
            found = values_u16[:, :1].copy()
        if (values_u16 != found).any():
            return None
    if found is None:
        of = display.evaluator.channel(channel)
        return None if of is None else [int(v) for v in encode(of, of.start)]
    return [int(v) for v in found[:, 0]]


def _flat(display: SheetDisplay) -> bool:
    for chunk in range(display.samples.chunk_count):
        covered = display.samples.covered[chunk * CHUNK : (chunk + 1) * CHUNK]
        if covered.any() and (np.abs(display.normals(chunk)[:2, covered].astype(np.int32) - 32768) > 1).any():
            return False
    return True


def _clear(display: SheetDisplay) -> bool:
    """Whether anything of the sheet lets what lies behind it through."""
    found = even(display, "opacity")
    return found is None or found[0] < 65000


def _linear(values_u16: list[int]) -> list[float]:
    return [float(v) for v in srgb_to_linear_float(np.array(values_u16, np.float64) / 65535)]


def build_glb(looks: Sequence[Look], preset: ExportPreset) -> bytes:
    """The whole asset. Maps follow glTF whatever the preset packs: base colour + opacity, ORM, normal (Y up), emission; 8-bit PNG.

    Several looks are variants of its materials (KHR_materials_variants), the first one shown where a viewer knows of none.
    """
    model = looks[0].displays[0].samples.model
    nodes, worlds = node_tree(model)
    binary = Binary()
    materials = _Materials(binary, preset, sheet_corners(looks[0].displays[0]).painted)
    world_of = {n["mesh"]: w for n, w in zip(nodes, worlds, strict=True) if "mesh" in n}
    primitives: dict[int, list[dict[str, Any]]] = {}
    for number, display in enumerate(looks[0].displays):
        of_looks = [materials.add(look.displays[number], look.name) for look in looks]
        corners = sheet_corners(display)
        for part in np.unique(corners.part).tolist():
            primitive = _primitive(binary, corners, part, world_of.get(part, np.eye(4)), of_looks[0])
            if len(looks) > 1:
                mappings = [{"material": m, "variants": [i for i, x in enumerate(of_looks) if x == m]} for m in dict.fromkeys(of_looks)]
                primitive["extensions"] = {VARIANTS: {"mappings": mappings}}
            primitives.setdefault(part, []).append(primitive)
    document = scene_document(model, nodes, primitives, materials.entries)
    if len(looks) > 1:
        document |= {"extensionsUsed": [VARIANTS], "extensions": {VARIANTS: {"variants": [{"name": look.name} for look in looks]}}}
    if materials.textures:
        wraps = [_CLAMP, _REPEAT] if any(t["sampler"] for t in materials.textures) else [_CLAMP]
        document |= {
            "textures": materials.textures,
            "samplers": [{"magFilter": 9729, "minFilter": 9987, "wrapS": w, "wrapT": w} for w in wraps],
            "images": materials.images,
        }
    return glb_bytes(document, binary)


def _primitive(binary: Binary, corners: SheetCorners, part: int, world: NDArray[np.float64], material: int) -> dict[str, Any]:
    rows, indices = place_locally(corners, part, world)
    attributes: dict[str, int] = {}
    at = 0
    names = [("POSITION", 3), ("NORMAL", 3), ("TANGENT", 4), *((f"TEXCOORD_{k}", 2) for k in range(corners.uv_sets))]
    for key, width in [*names, ("COLOR_0", 4)] if corners.coloured else names:
        values = np.ascontiguousarray(rows[:, at : at + width])
        attributes[key] = binary.accessor(values, f"VEC{width}", FLOAT, ARRAY, key == "POSITION")
        at += width
    return {"attributes": attributes, "indices": binary.accessor(indices, "SCALAR", UINT, ELEMENTS), "material": material}
