"""Materials of an asset and the faces that have them; sheets of numbered tiles are one material with pictures by <UDIM>."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields, replace
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.normals import corner_normals
from ruvelt.core.output.asset_materials import SheetMaterial, sheet_material
from ruvelt.core.output.asset_pictures import SPECS, AssetPictures
from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.glb_geometry import ordered_sets
from ruvelt.core.output.presets import MapSpec

#: What stands for the number of a tile in a file name (as OpenImageIO, USD and MaterialX read it).
UDIM = "<UDIM>"


@dataclass(frozen=True)
class MaterialGroup:
    """A material, and the sheets that it is one of. name : different from the others', letters, digits and _ only"""

    name: str
    title: str
    displays: tuple[SheetDisplay, ...]
    of: SheetMaterial
    pictures: AssetPictures

    @property
    def by_tiles(self) -> bool:
        return len(self.displays) > 1

    @property
    def repeats(self) -> bool:
        return any(d.sheet_samples.plan.squares is not None for d in self.displays)

    def picture(self, map_id: str) -> str:
        """The file with one of the usual maps; of tiles all of them, their number as <UDIM>."""
        return self.picture_of(SPECS[map_id])

    def picture_of(self, spec: MapSpec) -> str:
        names = [self.pictures.name(d, spec) for d in self.displays]
        return names[0] if not self.by_tiles else _pattern(names, [d.sheet_samples.plan.tile_number for d in self.displays]) or names[0]


def _pattern(names: Sequence[str], tiles: Sequence[int]) -> str | None:
    """Names with the number of their tile replaced, where they are the same then."""
    found = {UDIM.join(name.rsplit(str(tile), 1)) for name, tile in zip(names, tiles, strict=True)}
    return next(iter(found)) if len(found) == 1 and UDIM in next(iter(found)) else None


def material_groups(displays: Sequence[SheetDisplay], pictures: AssetPictures, tiles_together: bool) -> list[MaterialGroup]:
    """One for each sheet, or one for all numbered tiles where the format reads them by <UDIM> and names allow it."""
    of = [sheet_material(d) for d in displays]
    tiles = [d.sheet_samples.plan.tile_number for d in displays]
    names = [pictures.name(d, SPECS["base_color"]) for d in displays] if tiles_together and len(set(tiles)) == len(displays) > 1 else []
    if names and _pattern(names, tiles) is not None:
        return [MaterialGroup("Tiles", "Tiles", tuple(displays), _together(of), pictures)]
    made: list[MaterialGroup] = []
    taken: set[str] = set()
    for display, material in zip(displays, of, strict=True):
        name = plain = identifier(material.name)
        while name.lower() in taken:
            name = f"{plain}_{len(taken) + 1}"
        taken.add(name.lower())
        made.append(MaterialGroup(name, material.name, (display,), material, pictures))
    return made


def identifier(text: str) -> str:
    """Text as USD and MaterialX take names."""
    made = "".join(c if c.isascii() and (c.isalnum() or c == "_") else "_" for c in text)
    return made if made[:1].isalpha() else f"m_{made}"


def _together(of: list[SheetMaterial]) -> SheetMaterial:
    """What holds for all of several sheets; a value that differs is told by maps."""
    first = of[0]
    values: dict[str, Any] = {}
    for field in fields(SheetMaterial):
        mine = [getattr(m, field.name) for m in of]
        if field.name in ("base", "opacity", "roughness", "metallic", "occlusion", "emission"):
            values[field.name] = mine[0] if all(m == mine[0] for m in mine) else None
    alpha = max((m.alpha for m in of), key=("opaque", "mask", "blend").index)
    return replace(first, **values, flat=all(m.flat for m in of), double_sided=any(m.double_sided for m in of), alpha=alpha)


@dataclass(frozen=True, eq=False)
class Corners:
    """Polygons as they are. face_group : (f,) index into the groups, -1 where no sheet lies; uvs : each (c, 2) float32, the painted one first

    normals : (c, 3) float32; colours : (v, 4) float32 as encoded, or None; faces that no sheet has are left out by the formats
    """

    model: Model
    face_group: NDArray[np.int32]
    uvs: tuple[NDArray[np.float32], ...]
    normals: NDArray[np.float32]
    colours: NDArray[np.float32] | None


def corners_of(groups: Sequence[MaterialGroup]) -> Corners:
    display = groups[0].displays[0]
    model = display.samples.model
    face_group = np.full(model.face_count, -1, np.int32)
    shift = np.zeros((model.face_count, 2), np.float32)
    for number, group in enumerate(groups):
        for d in group.displays:
            plan = d.sheet_samples.plan
            face_group[plan.faces] = number
            if not group.by_tiles:
                shift[plan.faces] = plan.tile
    face_of = np.repeat(np.arange(model.face_count), np.diff(model.face_starts))
    sets, painted = ordered_sets(model)
    uvs = []
    for layout in [sets[painted], *(s for i, s in enumerate(sets) if i != painted)]:
        uv = layout.uvs[np.maximum(layout.corner_uv, 0)] * (layout.corner_uv >= 0)[:, None]
        uvs.append((uv - shift[face_of] if layout is sets[painted] else uv).astype(np.float32))
    coloured = display.evaluator.document.settings.multiply_vertex_colours and model.vertex_colors is not None
    return Corners(model, face_group, tuple(uvs), corner_normals(model), model.vertex_colors if coloured else None)
