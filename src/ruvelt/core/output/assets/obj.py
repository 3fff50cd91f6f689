"""Wavefront OBJ with a material library: its classic lines, and those of the physically based extension (map_Pr, map_Pm, norm)."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.mesh.rows import equal_rows
from ruvelt.core.output.asset import AssetFile, AssetScene, AssetWriter
from ruvelt.core.output.asset_groups import Corners, MaterialGroup, corners_of, material_groups


class ObjAsset(AssetWriter):
    """Wavefront OBJ with a material library beside it; polygons, parts and vertex colours as they are."""

    id: ClassVar[str] = "obj"
    label: ClassVar[str] = "OBJ with MTL"
    rank: ClassVar[int] = 2

    def files(self, scene: AssetScene) -> list[AssetFile]:
        groups = material_groups(scene.looks[0].displays, scene.pictures, tiles_together=False)
        mesh = _mesh(corners_of(groups), groups, f"{scene.stem}.mtl")
        return [(f"{scene.stem}.mtl", "mtl", _library(groups)), (f"{scene.stem}.obj", "obj", mesh)]


def _mesh(corners: Corners, groups: list[MaterialGroup], library: str) -> bytes:
    model = corners.model
    lines = ["# Ruvelt", f"mtllib {library}"]
    if corners.colours is None:
        lines += ["v {:.9g} {:.9g} {:.9g}".format(*p) for p in model.positions.tolist()]
    else:
        rows = zip(model.positions.tolist(), corners.colours[:, :3].tolist(), strict=True)
        lines += ["v {:.9g} {:.9g} {:.9g} {:.6f} {:.6f} {:.6f}".format(*p, *c) for p, c in rows]
    uv_number, uv_first = equal_rows(np.ascontiguousarray(corners.uvs[0] + np.float32(0)))
    normal_number, normal_first = equal_rows(np.ascontiguousarray(corners.normals + np.float32(0)))
    lines += ["vt {:.9g} {:.9g}".format(*u) for u in corners.uvs[0][uv_first].tolist()]
    lines += ["vn {:.7g} {:.7g} {:.7g}".format(*n) for n in corners.normals[normal_first].tolist()]
    text = [
        f"{v}/{t}/{n}" for v, t, n in zip((model.corner_vertex + 1).tolist(), (uv_number + 1).tolist(), (normal_number + 1).tolist(), strict=True)
    ]
    starts = model.face_starts.tolist()
    now = (-1, -2)
    for face in np.lexsort((np.arange(model.face_count), corners.face_group, model.face_part)).tolist():
        of = (int(model.face_part[face]), int(corners.face_group[face]))
        if of[1] < 0:
            continue
        if of[0] != now[0]:
            lines.append("o " + ("_".join(model.parts[of[0]].split()) or "part"))
        if of != now:
            lines.append(f"usemtl {groups[of[1]].name}")
        now = of
        lines.append("f " + " ".join(text[starts[face] : starts[face + 1]]))
    return ("\n".join(lines) + "\n").encode()


def _library(groups: list[MaterialGroup]) -> bytes:
    lines = ["# Ruvelt"]
    for group in groups:
        of = group.of
        lines += ["", f"newmtl {group.name}", "illum 2"]
        lines += [_numbers("Kd", of.base)] if of.base is not None else ["Kd 1 1 1", f"map_Kd {group.picture('base_color')}"]
        lines += [f"d {of.opacity:.6g}"] if of.opacity is not None else ["d 1", f"map_d {group.picture('opacity')}"]
        lines += [f"Pr {of.roughness:.6g}"] if of.roughness is not None else ["Pr 1", f"map_Pr {group.picture('roughness')}"]
        lines += [f"Pm {of.metallic:.6g}"] if of.metallic is not None else ["Pm 1", f"map_Pm {group.picture('metallic')}"]
        if of.emission is None:
            lines += ["Ke 1 1 1", f"map_Ke {group.picture('emission')}"]
        elif any(of.emission):
            lines.append(_numbers("Ke", of.emission))
        if not of.flat:
            lines.append(f"norm {group.picture('normal')}")
    return ("\n".join(lines) + "\n").encode()


def _numbers(key: str, values: tuple[float, ...]) -> str:
    return " ".join([key, *(f"{v:.6g}" for v in values)])
