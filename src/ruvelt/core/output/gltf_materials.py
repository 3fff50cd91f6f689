"""Materials and pictures of glTF as they grow, inside a GLB or in files beside it."""

from __future__ import annotations

from typing import Any

import numpy as np

from ruvelt.core.output.asset_materials import SheetMaterial, sheet_material
from ruvelt.core.output.asset_pictures import SPECS, AssetPictures, grey_spec
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.glb_binary import Binary
from ruvelt.core.output.images import encode_png
from ruvelt.core.output.mapset import map_version
from ruvelt.core.output.presets import MapSpec, colour_of
from ruvelt.core.planes.versions import version_of

#: All maps that a material may look at.
_LOOKED = ("base_color_alpha", "orm", "normal", "emission")


class GltfMaterials:
    """Materials and pictures as they grow. inside : pictures lie in the binary; otherwise they are files beside it"""

    def __init__(self, binary: Binary, pictures: AssetPictures, uv_set: int, inside: bool) -> None:
        self._binary, self._pictures, self._uv_set, self._inside = binary, pictures, uv_set, inside
        #: Whose pictures are asked for.
        self._variant = ""
        self.images: list[dict[str, Any]] = []
        self.textures: list[dict[str, Any]] = []
        self.entries: list[dict[str, Any]] = []
        self.extensions: set[str] = set()
        self._made: dict[tuple[str, tuple[str, ...], int, bool], dict[str, int]] = {}
        self._known: dict[tuple[str, int], int] = {}

    def add(self, display: SheetDisplay, variant: str = "") -> int:
        """The number of a sheet's material; variants that differ in nothing share one."""
        self._variant = variant
        sheet = display.evaluator.sheet
        traits = (sheet.double_sided, sheet.alpha_mode, sheet.alpha_cutoff, sheet.emissive_strength)
        coats = [c.id for c in display.evaluator.document.channels]
        versions = [map_version(display, SPECS[m]) for m in _LOOKED]
        versions += [map_version(display, grey_spec(c)) for c in coats]
        key = (sheet.id, version_of(traits, versions))
        if key not in self._known:
            several = variant and any(k[0] == sheet.id for k in self._known)
            self._known[key] = len(self.entries)
            self.entries.append(self._material(display, f"{sheet.name}, {variant}" if several else sheet.name))
        return self._known[key]

    def _material(self, display: SheetDisplay, name: str) -> dict[str, Any]:
        """A channel that is even all over is a factor; the others are pictures."""
        of = sheet_material(display)
        pbr = self._pbr(display, of)
        entry: dict[str, Any] = {"name": name, "pbrMetallicRoughness": pbr}
        if of.occlusion != 1:
            entry["occlusionTexture"] = pbr.get("metallicRoughnessTexture") or self._texture(display, SPECS["orm"])
        if not of.flat:
            entry["normalTexture"] = self._texture(display, SPECS["normal"])
        if of.emission is None:
            entry["emissiveFactor"], entry["emissiveTexture"] = [1, 1, 1], self._texture(display, SPECS["emission"])
        elif any(of.emission):
            entry["emissiveFactor"] = list(of.emission)
        if of.double_sided:
            entry["doubleSided"] = True
        if of.alpha == "mask":
            entry |= {"alphaMode": "MASK", "alphaCutoff": of.cutoff}
        elif of.alpha == "blend":
            entry["alphaMode"] = "BLEND"
        extensions = self._coats(display, of)
        if of.emissive_strength != 1 and "emissiveFactor" in entry:
            extensions["KHR_materials_emissive_strength"] = {"emissiveStrength": of.emissive_strength}
        if extensions:
            self.extensions |= set(extensions)
            entry["extensions"] = extensions
        return entry

    def _pbr(self, display: SheetDisplay, of: SheetMaterial) -> dict[str, Any]:
        made: dict[str, Any] = {}
        if of.base is not None and of.opacity is not None:
            made["baseColorFactor"] = [*of.base, of.opacity]
        else:
            made["baseColorTexture"] = self._texture(display, SPECS["base_color_alpha" if of.alpha != "opaque" else "base_color"])
        if of.roughness is not None and of.metallic is not None:
            made |= {"roughnessFactor": of.roughness, "metallicFactor": of.metallic}
        else:
            # One picture for all three, also where occlusion is even.
            made["metallicRoughnessTexture"] = self._texture(display, SPECS["orm"])
        return made

    def _coats(self, display: SheetDisplay, of: SheetMaterial) -> dict[str, Any]:
        """Extensions for own channels that say clear coat, sheen or transmission."""
        named = dict(of.coats)
        found: dict[str, Any] = {}
        if "clearcoat" in named:
            coat: dict[str, Any] = {"clearcoatFactor": 1, "clearcoatTexture": self._grey(display, named["clearcoat"])}
            if "clearcoat_roughness" in named:
                coat |= {"clearcoatRoughnessFactor": 1, "clearcoatRoughnessTexture": self._grey(display, named["clearcoat_roughness"])}
            found["KHR_materials_clearcoat"] = coat
        if "sheen" in named:
            channel = display.evaluator.channel(named["sheen"])
            assert channel is not None
            parts = colour_of(channel.id) if channel.components == 3 else (channel.id,) * 3
            # Roughness of sheen is read from alpha, which may lie in the same picture.
            parts = (*parts, named["sheen_roughness"]) if "sheen_roughness" in named else parts
            texture = self._texture(display, MapSpec(id="sheen", name="Sheen", components=parts))
            sheen: dict[str, Any] = {"sheenColorFactor": [1, 1, 1], "sheenColorTexture": texture}
            if "sheen_roughness" in named:
                sheen |= {"sheenRoughnessFactor": 1, "sheenRoughnessTexture": texture}
            found["KHR_materials_sheen"] = sheen
        if "transmission" in named:
            found["KHR_materials_transmission"] = {"transmissionFactor": 1, "transmissionTexture": self._grey(display, named["transmission"])}
        return found

    def _grey(self, display: SheetDisplay, channel: str) -> dict[str, int]:
        return self._texture(display, grey_spec(channel))

    def _texture(self, display: SheetDisplay, spec: MapSpec) -> dict[str, int]:
        key = (display.evaluator.sheet.id, spec.components, map_version(display, spec), self._inside)
        if key not in self._made:
            self._made[key] = self._picture(display, spec)
        return self._made[key]

    def _picture(self, display: SheetDisplay, spec: MapSpec) -> dict[str, int]:
        label = f"{display.evaluator.sheet.name} {spec.name}"
        if self._inside:
            image = self._pictures.image(display, spec)
            picture: dict[str, Any] = {"mimeType": "image/png", "bufferView": self._binary.view(encode_png(np.ascontiguousarray(image), 8))}
        else:
            picture = {"uri": self._pictures.name(display, spec, self._variant)}
        self.images.append({"name": label, **picture})
        self.textures.append({"source": len(self.images) - 1, "sampler": int(display.sheet_samples.plan.squares is not None)})
        found = {"index": len(self.textures) - 1}
        return found if self._uv_set == 0 else {**found, "texCoord": self._uv_set}
