"""Materials of a glTF: factors, pictures and how they lie, and a note on whatever cannot be kept."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, cast

import numpy as np

from ruvelt.core.color.encoding import linear_to_srgb_float
from ruvelt.core.errors import InputError
from ruvelt.core.mesh.facts import STRAIGHT, AlphaMode, Material, Note, PictureFile, PicturePart, PictureUse, Transform, WrapMode
from ruvelt.core.mesh.readers.companions import Companions, data_uri
from ruvelt.core.mesh.readers.gltf_document import Document

_WRAP: dict[Any, WrapMode] = {33071: "clamp", 33648: "mirror", 10497: "repeat"}
_ALPHA: dict[Any, AlphaMode] = {"OPAQUE": "opaque", "MASK": "mask", "BLEND": "blend"}
#: What parts of a material are called that no channel here stands for.
_EXTRAS = {
    "KHR_materials_anisotropy": "anisotropy",
    "KHR_materials_clearcoat": "clear coat",
    "KHR_materials_dispersion": "dispersion",
    "KHR_materials_ior": "index of refraction",
    "KHR_materials_iridescence": "iridescence",
    "KHR_materials_pbrSpecularGlossiness": "specular and glossiness",
    "KHR_materials_sheen": "sheen",
    "KHR_materials_specular": "specular",
    "KHR_materials_transmission": "transmission",
    "KHR_materials_unlit": "shading without light",
    "KHR_materials_variants": "variants",
    "KHR_materials_volume": "volume",
}


@dataclass(frozen=True)
class _Laid:
    picture: int
    uv_set: int
    transform: Transform
    wrap: tuple[WrapMode, WrapMode]
    nearest: bool


def _dict(value: Any) -> dict[str, Any]:
    return value if isinstance(value, dict) else {}


class MaterialReader:
    """Reads materials one by one; `pictures` grows with every picture that is used for the first time."""

    def __init__(self, document: Document, view: Callable[[int], bytes], companions: Companions, notes: list[Note]) -> None:
        self._document, self._view, self._companions, self._notes = document, view, companions, notes
        self.pictures: list[PictureFile] = []
        self._by_image: dict[int, int | None] = {}

    def read(self, index: int) -> tuple[Material, tuple[PictureUse, ...]]:
        """Facts of a material and its pictures by role."""
        m = _dict(self._document.materials[index])
        name = str(m.get("name") or f"Material {index + 1}")
        pbr, extensions = _dict(m.get("pbrMetallicRoughness")), _dict(m.get("extensions"))
        alpha = _ALPHA.get(m.get("alphaMode", "OPAQUE"), "opaque")
        color = self._numbers(pbr, "baseColorFactor", (1.0, 1.0, 1.0, 1.0), name)
        (rough,), (metal,) = self._numbers(pbr, "roughnessFactor", (1.0,), name), self._numbers(pbr, "metallicFactor", (1.0,), name)
        glow, strength = self._emission(m, extensions, name)
        (cutoff,) = self._numbers(m, "alphaCutoff", (0.5,), name)
        uses = self._base(pbr, color, alpha, name)
        for info, role, part, low, high in (
            (pbr.get("metallicRoughnessTexture"), "roughness", "g", 0.0, rough),
            (pbr.get("metallicRoughnessTexture"), "metallic", "b", 0.0, metal),
            (m.get("occlusionTexture"), "occlusion", "r", 1 - self._strength(m.get("occlusionTexture"), "strength", name, 1.0), 1.0),
        ):
            if (laid := self._texture(info, name, role)) is not None:
                uses.append(self._use(laid, role, cast(PicturePart, part), (low,), (high,)))
        if (laid := self._texture(m.get("emissiveTexture"), name, "emission")) is not None:
            uses.append(self._use(laid, "emission", "rgb", (0.0,) * 3, glow))
            glow = (0.0, 0.0, 0.0)
        if (laid := self._texture(m.get("normalTexture"), name, "normal")) is not None:
            uses.append(self._use(laid, "normal", "rgb", (0.0,), (self._strength(m.get("normalTexture"), "scale", name, 4.0),)))
        if alpha == "opaque" and color[3] < 1:
            self._notes.append(Note(name, "left out", f"An alpha of {color[3]:.2f}: the material is marked opaque, so it does not show."))
        for extension in extensions:
            if extension in _EXTRAS:
                self._notes.append(Note(name, "left out", f"{_EXTRAS[extension].capitalize()} ({extension}): there is no channel for it."))
        r, g, b = (float(c) for c in linear_to_srgb_float(np.array(color[:3])))
        e = linear_to_srgb_float(np.array(glow))
        made = Material(
            name,
            (r, g, b, 1.0 if alpha == "opaque" else color[3]),
            rough,
            metal,
            (float(e[0]), float(e[1]), float(e[2])),
            m.get("doubleSided") is True,
            alpha,
            cutoff,
            strength,
        )
        return made, tuple(uses)

    def _base(self, pbr: dict[str, Any], color: tuple[float, ...], alpha: AlphaMode, name: str) -> list[PictureUse]:
        laid = self._texture(pbr.get("baseColorTexture"), name, "base colour")
        if laid is None:
            return []
        uses = [self._use(laid, "base_color", "rgb", (0.0,) * 3, color[:3])]
        if alpha != "opaque":
            uses.append(self._use(laid, "opacity", "a", (0.0,), (color[3],)))
        return uses

    def _emission(self, m: dict[str, Any], extensions: dict[str, Any], name: str) -> tuple[tuple[float, ...], float]:
        strength = _dict(extensions.get("KHR_materials_emissive_strength")).get("emissiveStrength", 1.0)
        glow = self._numbers(m, "emissiveFactor", (0.0, 0.0, 0.0), name)
        if isinstance(strength, int | float) and math.isfinite(strength) and strength > 0 and strength != 1:
            raised = tuple(g * strength for g in glow)
            if max(raised) > 1:
                text = f"Emission {max(raised):.3g} times as bright as white: shown as white here, its colour kept; assets get the strength again."
                self._notes.append(Note(name, "converted", text))
            return tuple(g / max(*raised, 1.0) for g in raised), min(max(*raised, 1.0), 1e6)
        return glow, 1.0

    @staticmethod
    def _use(laid: _Laid, role: str, part: PicturePart, low: tuple[float, ...], high: tuple[float, ...]) -> PictureUse:
        return PictureUse(role, laid.picture, part, laid.uv_set, laid.transform, laid.wrap, laid.nearest, low, high)

    def _numbers(self, of: dict[str, Any], key: str, start: tuple[float, ...], about: str) -> tuple[float, ...]:
        """Factors between 0 and 1; those that are not are brought there, with a note."""
        value = of.get(key)
        if value is None:
            return start
        values = value if isinstance(value, list) else [value]
        if len(values) != len(start) or not all(isinstance(v, int | float) and not isinstance(v, bool) and math.isfinite(v) for v in values):
            many = "one number" if len(start) == 1 else f"{len(start)} numbers"
            self._notes.append(Note(about, "left out", f"{key}: it is not {many}; the usual value stands."))
            return start
        kept = tuple(min(max(float(v), 0.0), 1.0) for v in values)
        if any(k != v for k, v in zip(kept, values, strict=True)):
            self._notes.append(Note(about, "converted", f"{key} lay outside 0 to 1 and was brought within."))
        return kept

    def _strength(self, info: Any, key: str, about: str, top: float) -> float:
        value = _dict(info).get(key, 1.0)
        if not isinstance(value, int | float) or isinstance(value, bool) or not math.isfinite(value):
            self._notes.append(Note(about, "left out", f"{key} of a picture: it is not a number; 1 stands."))
            return 1.0
        kept = min(max(float(value), -top if key == "scale" else 0.0), top)
        if kept != value:
            self._notes.append(Note(about, "converted", f"{key} of a picture was {value:.3g} and is {kept:g} now."))
        return kept

    # -- textures ---------------------------------------------------------------------------------------------------------------

    def _texture(self, info: Any, about: str, what: str) -> _Laid | None:
        info = _dict(info)
        if not info:
            return None
        texture = self._listed(self._document.textures, info.get("index"))
        if texture is None:
            self._notes.append(Note(about, "left out", f"The picture of {what}: the file names a texture that it does not hold."))
            return None
        picture = self._picture(texture, about, what)
        if picture is None:
            return None
        sampler = self._listed(self._document.samplers, texture.get("sampler")) or {}
        bent = _dict(_dict(info.get("extensions")).get("KHR_texture_transform"))
        number = bent.get("texCoord", info.get("texCoord", 0))
        wrap = _WRAP.get(sampler.get("wrapS", 10497), "repeat"), _WRAP.get(sampler.get("wrapT", 10497), "repeat")
        return _Laid(
            picture,
            number if isinstance(number, int) and 0 <= number < 100 else 0,
            self._transform(bent, about),
            wrap,
            sampler.get("magFilter") == 9728,
        )

    def _transform(self, bent: dict[str, Any], about: str) -> Transform:
        """KHR_texture_transform: scaled, turned counter-clockwise, moved."""
        if not bent:
            return STRAIGHT
        try:
            (ox, oy), (sx, sy) = (tuple(float(v) for v in bent.get(key, start)) for key, start in (("offset", (0, 0)), ("scale", (1, 1))))
            angle = float(bent.get("rotation", 0.0))
        except (TypeError, ValueError):
            self._notes.append(Note(about, "left out", "How a picture is moved, turned or scaled: the numbers cannot be read."))
            return STRAIGHT
        c, s = math.cos(angle), math.sin(angle)
        made = (c * sx, s * sy, ox, -s * sx, c * sy, oy)
        if not all(math.isfinite(v) and abs(v) < 1e4 for v in made):
            self._notes.append(Note(about, "left out", "How a picture is moved, turned or scaled: the numbers are too large."))
            return STRAIGHT
        return made

    @staticmethod
    def _listed(items: list[Any], index: Any) -> dict[str, Any] | None:
        if not isinstance(index, int) or isinstance(index, bool) or not 0 <= index < len(items):
            return None
        return _dict(items[index])

    def _picture(self, texture: dict[str, Any], about: str, what: str) -> int | None:
        extensions = _dict(texture.get("extensions"))
        source = _dict(extensions.get("EXT_texture_webp")).get("source", texture.get("source"))
        if source is None and "KHR_texture_basisu" in extensions:
            text = f"The picture of {what}: it is compressed for graphics cards (KTX2), which cannot be read. Export it with PNG or JPEG pictures."
            self._notes.append(Note(about, "left out", text))
            return None
        image = self._listed(self._document.images, source)
        if image is None:
            self._notes.append(Note(about, "left out", f"The picture of {what}: the file names one that it does not hold."))
            return None
        assert isinstance(source, int)
        if source not in self._by_image:
            self._by_image[source] = self._load(image, source, about, what)
        return self._by_image[source]

    def _load(self, image: dict[str, Any], number: int, about: str, what: str) -> int | None:
        uri, view = image.get("uri"), image.get("bufferView")
        name = str(image.get("name") or "")
        data: bytes | None = None
        if isinstance(uri, str):
            inside = uri.startswith("data:")
            data = data_uri(uri) if inside else self._companions.find(uri)
            name = name or ("" if inside else uri.replace("\\", "/").split("/")[-1])
            if data is None and not inside:
                text = f"The picture of {what}: '{name}' did not come along. Choose it together with the mesh, or export as one .glb file."
                self._notes.append(Note(about, "left out", text))
                return None
        elif isinstance(view, int) and not isinstance(view, bool):
            try:
                data = self._view(view)
            except InputError:
                data = None
        if not data:
            self._notes.append(Note(about, "left out", f"The picture of {what}: its bytes are missing or damaged."))
            return None
        self.pictures.append(PictureFile((name or f"{about} {what}")[:80], data))
        return len(self.pictures) - 1
