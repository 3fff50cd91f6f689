"""glTF 2.0 with its buffer and pictures in files beside it."""

from __future__ import annotations

import json
from typing import ClassVar

from ruvelt.core.output.asset import AssetFile, AssetScene, AssetWriter
from ruvelt.core.output.glb import gltf_document


class GltfAsset(AssetWriter):
    """glTF 2.0 with its buffer and pictures in files beside it."""

    id: ClassVar[str] = "gltf"
    label: ClassVar[str] = "glTF, files beside it"
    variants: ClassVar[bool] = True
    rank: ClassVar[int] = 1

    def files(self, scene: AssetScene) -> list[AssetFile]:
        document, binary = gltf_document(scene.looks, scene.preset, scene.pictures, False)
        data = bytes(binary.data)
        document |= {
            "accessors": binary.accessors,
            "bufferViews": binary.views,
            "buffers": [{"byteLength": len(data), "uri": f"{scene.stem}.bin"}],
        }
        text = (json.dumps(document, indent=1, ensure_ascii=False) + "\n").encode()
        return [(f"{scene.stem}.bin", "bin", data), (f"{scene.stem}.gltf", "gltf", text)]
