"""Bringing a large file in."""

from __future__ import annotations

import io
import json
import struct
import tempfile
from pathlib import Path

import cv2
import numpy as np
from PIL import Image

from ruvelt.bench.timing import Row, at_most, best, turn_about
from ruvelt.studio.studio import Studio

PICTURES, SIDE = 8, 2048


def _picture(seed: int, side: int) -> bytes:
    """A JPEG with as much detail as a photographed surface."""
    random = np.random.default_rng(seed)
    coarse = cv2.resize(random.normal(size=(side // 16, side // 16, 3)).astype(np.float32), (side, side), interpolation=cv2.INTER_CUBIC)
    pixels = 128 + 40 * coarse + 22 * random.normal(size=(side, side, 3)).astype(np.float32)
    out = io.BytesIO()
    Image.fromarray(np.clip(pixels, 0, 255).astype(np.uint8)).save(out, "JPEG", quality=91)
    return out.getvalue()


def _glb(pictures: list[bytes]) -> bytes:
    """Plates side by side, each with pictures of colour, of metal and roughness, of light and of normals."""
    corners = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], "<f4")
    uvs, faces = np.array([[0, 1], [1, 1], [1, 0], [0, 0]], "<f4"), np.array([0, 1, 2, 0, 2, 3], "<u4")
    parts = [corners.tobytes(), uvs.tobytes(), faces.tobytes(), *(p + b"\0" * (-len(p) % 4) for p in pictures)]
    sizes = [corners.nbytes, uvs.nbytes, faces.nbytes, *map(len, pictures)]
    at = np.concatenate([[0], np.cumsum([len(p) for p in parts])]).tolist()
    materials = [
        {
            "name": f"Plate {i}",
            "pbrMetallicRoughness": {"baseColorTexture": {"index": 4 * i}, "metallicRoughnessTexture": {"index": 4 * i + 1}},
            "emissiveTexture": {"index": 4 * i + 2},
            "emissiveFactor": [1, 1, 1],
            "normalTexture": {"index": 4 * i + 3},
        }
        for i in range(len(pictures) // 4)
    ]
    attributes = {"POSITION": 0, "TEXCOORD_0": 1}
    document = {
        "asset": {"version": "2.0"},
        "buffers": [{"byteLength": at[-1]}],
        "bufferViews": [{"buffer": 0, "byteOffset": a, "byteLength": s} for a, s in zip(at, sizes, strict=False)],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5126, "count": 4, "type": "VEC2"},
            {"bufferView": 2, "componentType": 5125, "count": 6, "type": "SCALAR"},
        ],
        "images": [{"bufferView": 3 + i, "mimeType": "image/jpeg"} for i in range(len(pictures))],
        "textures": [{"source": i} for i in range(len(pictures))],
        "materials": materials,
        "meshes": [{"primitives": [{"attributes": attributes, "indices": 2, "material": i} for i in range(len(materials))]}],
        "nodes": [{"mesh": 0}],
    }
    text = json.dumps(document).encode()
    text += b" " * (-len(text) % 4)
    head = struct.pack("<4sII", b"glTF", 2, 28 + len(text) + at[-1])
    return head + struct.pack("<I4s", len(text), b"JSON") + text + struct.pack("<I4s", at[-1], b"BIN\0") + b"".join(parts)


def import_against_decoding(side: int = SIDE) -> Row:
    """A GLB of eight pictures made into a project on disk, against OpenCV decoding its pictures one after the other."""
    pictures = [_picture(i, side) for i in range(PICTURES)]
    data = _glb(pictures)

    def decode() -> None:
        for picture in pictures:
            cv2.imdecode(np.frombuffer(picture, np.uint8), cv2.IMREAD_COLOR)

    with tempfile.TemporaryDirectory() as folder:
        here = Studio(Path(folder))
        here.create(data, "warm.glb")
        ours, theirs = turn_about(4, lambda: best(lambda: here.create(data, "plates.glb"), 1), lambda: best(decode, 1))
        here.close()
    name = f"import of a GLB of {len(data) / 1e6:.0f} MB with eight pictures of {side}²"
    return at_most(name, ours * 1e3, theirs * 1e3, "OpenCV decoding them", 1.5)
