"""What every GLB is put together from: the BIN chunk, the scene, and the container (glTF 2.0, 4)."""

from __future__ import annotations

import json
import struct
from typing import Any

from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model

FLOAT, UINT, ARRAY, ELEMENTS = 5126, 5125, 34962, 34963


class Binary:
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


def scene_document(
    model: Model, nodes: list[dict[str, Any]], primitives: dict[int, list[dict[str, Any]]], materials: list[dict[str, Any]]
) -> dict[str, Any]:
    """The JSON of a scene whose nodes name parts as their meshes; parts without primitives are left out."""
    meshes = {part: i for i, part in enumerate(sorted(primitives))}
    for node in nodes:
        part = node.pop("mesh", None)
        if part in meshes:
            node["mesh"] = meshes[part]
    inside = {c for n in nodes for c in n.get("children", [])}
    return {
        "asset": {"version": "2.0", "generator": "Ruvelt"},
        "scene": 0,
        "scenes": [{"nodes": [i for i in range(len(nodes)) if i not in inside]}],
        "nodes": nodes,
        "meshes": [{"name": model.parts[p], "primitives": primitives[p]} for p in meshes],
        "materials": materials,
    }


def glb_bytes(document: dict[str, Any], binary: Binary) -> bytes:
    document = {**document, "accessors": binary.accessors, "bufferViews": binary.views, "buffers": [{"byteLength": len(binary.data)}]}
    text = json.dumps(document, separators=(",", ":"), ensure_ascii=False).encode()
    text += b" " * (-len(text) % 4)
    body = bytes(binary.data) + b"\0" * (-len(binary.data) % 4)
    header = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(text) + 8 + len(body))
    return header + struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(body), b"BIN\0") + body
