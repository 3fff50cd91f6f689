"""GLB (glTF 2.0), everything in one file."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.output.asset import AssetFile, AssetScene, AssetWriter
from ruvelt.core.output.glb import build_glb


class GlbAsset(AssetWriter):
    """GLB (glTF 2.0), everything in one file."""

    id: ClassVar[str] = "glb"
    label: ClassVar[str] = "GLB, everything in one file"
    variants: ClassVar[bool] = True
    rank: ClassVar[int] = 0

    def files(self, scene: AssetScene) -> list[AssetFile]:
        return [(f"{scene.stem}.glb", "glb", build_glb(scene.looks, scene.preset))]
