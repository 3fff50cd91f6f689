"""GLB (glTF 2.0) with the maps wired in: one mesh primitive and one material a sheet."""

from __future__ import annotations

import json
import struct
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.images import encode_png
from ruvelt.core.output.mapset import render_map
from ruvelt.core.output.presets import BUILT_IN, ExportPreset
from ruvelt.core.samples.sheet import SheetSamples

_FLOAT, _UINT, _ARRAY, _ELEMENTS = 5126, 5125, 34962, 34963


class _Binary:
    """The BIN chunk as it grows, and the views into it."""

    def __init__(self) -> None:
        self.data = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []

    def view(self, content: bytes, target: int | None = None) -> int:
        self.data += b"\0" * (-len(self.data) % 4)
        entry: dict[str, Any] = {"buffer": 0, "byteOffset": len(self.data), "byteLength": len(content)}
        if target is not None:
            entry["target"] = target
        self.data += content
        self.views.append(entry)
        return len(self.views) - 1

    def accessor(self, values: NDArray[Any], kind: str, component: int, target: int, bounds: bool = False) -> int:
        entry: dict[str, Any] = {
            "bufferView": self.view(values.tobytes(), target),
            "componentType": component,
            "count": len(values),
            "type": kind,
        }
        if bounds:
            entry["min"], entry["max"] = [float(v) for v in values.min(axis=0)], [float(v) for v in values.max(axis=0)]
        self.accessors.append(entry)
        return len(self.accessors) - 1


def sheet_geometry(samples: SheetSamples) -> tuple[NDArray[np.float32], NDArray[np.uint32]]:
    """Indexed triangles of a sheet: (n, 12) float32 rows of position 3, normal 3, tangent 4, UV 2 (v down, as glTF has it), and indices."""
    tangents = samples.triangle_tangents.reshape(-1, 4)
    # Corners that are alike differ in nothing but the tangent, if in that.
    number, first = equal_rows(np.concatenate([samples.alike.reshape(-1, 1).view(np.float32), tangents + np.float32(0)], axis=1))
    down = samples.uv.reshape(-1, 2)[first] / np.float32(samples.side)
    rows = np.concatenate(
        [samples.triangle_positions.reshape(-1, 3)[first], samples.triangle_normals.reshape(-1, 3)[first], tangents[first], down], axis=1
    )
    return np.nan_to_num(rows) + np.float32(0), number.view(np.uint32)


def build_glb(displays: Sequence[SheetDisplay], name: str, preset: ExportPreset) -> bytes:
    """The whole asset. Maps follow glTF whatever the preset packs: base colour + opacity, ORM, normal (Y up), emission; 8-bit PNG."""
    packed = next(p for p in BUILT_IN if p.id == "packed-orm").model_copy(update={"size": preset.size, "padding": preset.padding})
    specs = {m.id: m for m in packed.maps}
    binary = _Binary()
    images: list[dict[str, Any]] = []
    materials: list[dict[str, Any]] = []
    primitives: list[dict[str, Any]] = []

    def texture(display: SheetDisplay, map_id: str, image: NDArray[np.uint16]) -> dict[str, int]:
        label = f"{display.evaluator.sheet.name} {specs[map_id].name}"
        images.append({"name": label, "mimeType": "image/png", "bufferView": binary.view(encode_png(image, 8))})
        return {"index": len(images) - 1}

    for display in displays:
        base = render_map(display, specs["base_color"], packed)
        clear = bool((base[..., 3] < 65000).any())
        if not clear:
            base = base[..., :3]
        orm = texture(display, "orm", render_map(display, specs["orm"], packed))
        material: dict[str, Any] = {
            "name": display.evaluator.sheet.name,
            "pbrMetallicRoughness": {"baseColorTexture": texture(display, "base_color", base), "metallicRoughnessTexture": orm},
            "occlusionTexture": orm,
            "normalTexture": texture(display, "normal", render_map(display, specs["normal"], packed)),
        }
        emission = render_map(display, specs["emission"], packed)
        if emission.any():
            material["emissiveFactor"] = [1, 1, 1]
            material["emissiveTexture"] = texture(display, "emission", emission)
        if clear:
            material["alphaMode"] = "BLEND"
        materials.append(material)
        rows, indices = sheet_geometry(display.samples)
        cut = {"POSITION": (0, 3), "NORMAL": (3, 6), "TANGENT": (6, 10), "TEXCOORD_0": (10, 12)}
        attributes = {
            key: binary.accessor(np.ascontiguousarray(rows[:, a:b]), f"VEC{b - a}", _FLOAT, _ARRAY, key == "POSITION") for key, (a, b) in cut.items()
        }
        primitives.append({"attributes": attributes, "indices": binary.accessor(indices, "SCALAR", _UINT, _ELEMENTS), "material": len(materials) - 1})
    document = {
        "asset": {"version": "2.0", "generator": "Ruvelt"},
        "scene": 0,
        "scenes": [{"nodes": [0]}],
        "nodes": [{"name": name, "mesh": 0}],
        "meshes": [{"name": name, "primitives": primitives}],
        "materials": materials,
        "textures": [{"source": i, "sampler": 0} for i in range(len(images))],
        "samplers": [{"magFilter": 9729, "minFilter": 9987, "wrapS": 33071, "wrapT": 33071}],
        "images": images,
        "accessors": binary.accessors,
        "bufferViews": binary.views,
        "buffers": [{"byteLength": len(binary.data)}],
    }
    text = json.dumps(document, separators=(",", ":"), ensure_ascii=False).encode()
    text += b" " * (-len(text) % 4)
    body = bytes(binary.data) + b"\0" * (-len(binary.data) % 4)
    header = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(text) + 8 + len(body))
    return header + struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(body), b"BIN\0") + body
