"""PLY (Turk 1994), binary: a file for each sheet, with UVs and the name of its base colour in a comment, as readers of scans take it."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.color.encoding import linear_to_srgb_float
from ruvelt.core.output.asset import AssetFile, AssetScene, AssetWriter
from ruvelt.core.output.asset_pictures import SPECS
from ruvelt.core.output.glb_geometry import sheet_corners
from ruvelt.core.output.presets import file_stem


class PlyAsset(AssetWriter):
    """PLY, a file for each sheet, with the name of its base colour in a comment. It knows of no other map."""

    id: ClassVar[str] = "ply"
    label: ClassVar[str] = "PLY with base colour"
    rank: ClassVar[int] = 3

    def files(self, scene: AssetScene) -> list[AssetFile]:
        made: list[AssetFile] = []
        taken: set[str] = set()
        for display in scene.looks[0].displays:
            plain = scene.preset.model_copy(update={"template": "{project}_{map}"})
            stem = file_stem(plain, scene.stem, "", 0, display.evaluator.sheet.name)
            while stem.lower() in taken:
                stem += "_"
            taken.add(stem.lower())
            corners = sheet_corners(display)
            at = 10 + 2 * corners.painted
            fields = [(n, "<f4") for n in ("x", "y", "z", "nx", "ny", "nz", "s", "t")]
            fields += [(n, "u1") for n in ("red", "green", "blue", "alpha")] if corners.coloured else []
            rows = np.zeros(len(corners.rows), fields)
            for i, name in enumerate(("x", "y", "z", "nx", "ny", "nz")):
                rows[name] = corners.rows[:, i]
            rows["s"], rows["t"] = corners.rows[:, at], 1 - corners.rows[:, at + 1]
            if corners.coloured:
                light = corners.rows[:, 10 + 2 * corners.uv_sets :]
                codes = np.concatenate([linear_to_srgb_float(light[:, :3]), light[:, 3:]], axis=1)
                for i, name in enumerate(("red", "green", "blue", "alpha")):
                    rows[name] = np.rint(255 * np.clip(codes[:, i], 0, 1))
            faces = np.zeros(len(corners.indices), [("count", "u1"), ("corners", "<i4", 3)])
            faces["count"], faces["corners"] = 3, corners.indices
            head = [
                "ply",
                "format binary_little_endian 1.0",
                "comment Ruvelt",
                f"comment TextureFile {scene.pictures.name(display, SPECS['base_color'])}",
            ]
            head += [f"element vertex {len(rows)}", *(f"property {'float' if kind == '<f4' else 'uchar'} {name}" for name, kind in fields)]
            head += [f"element face {len(faces)}", "property list uchar int vertex_indices", "end_header", ""]
            made.append((f"{stem}.ply", "ply", "\n".join(head).encode() + rows.tobytes() + faces.tobytes()))
        return made
