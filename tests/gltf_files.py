"""GLBs put together by hand, to the letter of the specification, by nothing of ours."""

from __future__ import annotations

import io
import json
import struct
from typing import Any

import numpy as np
from PIL import Image

COMPONENT = {"i1": 5120, "u1": 5121, "i2": 5122, "u2": 5123, "u4": 5125, "f4": 5126}
KINDS = {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4", 16: "MAT4"}


def png(pixels: np.ndarray) -> bytes:
    out = io.BytesIO()
    Image.fromarray(pixels).save(out, "PNG")
    return out.getvalue()


def noise_png(side: int, seed: int, components: int = 3, height: int | None = None) -> tuple[np.ndarray, bytes]:
    """Pixels that are all different from their neighbours, and their PNG."""
    pixels = np.random.default_rng(seed).integers(0, 256, (height or side, side, components), np.uint8)
    return pixels, png(pixels)


class Glb:
    """Collects a document and its binary chunk."""

    def __init__(self) -> None:
        self.body = bytearray()
        self.document: dict[str, Any] = {"asset": {"version": "2.0"}, "bufferViews": [], "accessors": []}

    def view(self, content: bytes, **more: Any) -> int:
        self.body += b"\0" * (-len(self.body) % 4)
        self.document["bufferViews"].append({"buffer": 0, "byteOffset": len(self.body), "byteLength": len(content), **more})
        self.body += content
        return len(self.document["bufferViews"]) - 1

    def accessor(self, values: Any, kind: str = "f4", **more: Any) -> int:
        array = np.ascontiguousarray(values, np.dtype(f"<{kind}"))
        flat = array.reshape(len(array), -1)
        entry: dict[str, Any] = {"bufferView": self.view(array.tobytes()), "componentType": COMPONENT[kind], "count": len(array), **more}
        entry["type"] = KINDS[flat.shape[1]]
        if flat.shape[1] == 3 and kind == "f4":
            entry |= {"min": flat.min(axis=0).tolist(), "max": flat.max(axis=0).tolist()}
        self.document["accessors"].append(entry)
        return len(self.document["accessors"]) - 1

    def add(self, key: str, entry: dict[str, Any]) -> int:
        self.document.setdefault(key, []).append(entry)
        return len(self.document[key]) - 1

    def picture(self, data: bytes, mime: str = "image/png", sampler: dict[str, Any] | None = None, name: str = "") -> int:
        """A texture of encoded bytes."""
        image: dict[str, Any] = {"bufferView": self.view(data), "mimeType": mime}
        source = self.add("images", {**image, "name": name} if name else image)
        texture: dict[str, Any] = {"source": source}
        if sampler is not None:
            texture["sampler"] = self.add("samplers", sampler)
        return self.add("textures", texture)

    def bytes(self) -> bytes:
        self.document["buffers"] = [{"byteLength": len(self.body)}]
        text = json.dumps(self.document).encode()
        text += b" " * (-len(text) % 4)
        body = bytes(self.body) + b"\0" * (-len(self.body) % 4)
        head = struct.pack("<4sII", b"glTF", 2, 12 + 8 + len(text) + 8 + len(body))
        return head + struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", len(body), b"BIN\0") + body


#: A plate in the plane z = 0, a unit a side, UVs as they lie (v down, as glTF has it).
CORNERS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], np.float32)
UVS = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], np.float32)
FACES = np.array([0, 1, 2, 0, 2, 3], np.uint16)


def plate(material: dict[str, Any] | None = None, uvs: Any = UVS, glb: Glb | None = None, **attributes: int) -> Glb:
    """A plate with one material, whose pictures are in `glb` already."""
    glb = glb or Glb()
    primitive: dict[str, Any] = {
        "attributes": {"POSITION": glb.accessor(CORNERS), "NORMAL": glb.accessor([[0, 0, 1]] * 4), "TEXCOORD_0": glb.accessor(uvs), **attributes},
        "indices": glb.accessor(FACES, "u2"),
    }
    if material is not None:
        primitive["material"] = glb.add("materials", material)
    mesh = glb.add("meshes", {"name": "Plate", "primitives": [primitive]})
    glb.document["scenes"] = [{"nodes": [glb.add("nodes", {"name": "Plate", "mesh": mesh})]}]
    glb.document["scene"] = 0
    return glb
