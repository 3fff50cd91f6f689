"""Pictures beside an asset: those of the map set where it has them as they are wanted, others made for it."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ruvelt.core.output.display import SheetDisplay
from ruvelt.core.output.mapset import WrittenFile, map_version
from ruvelt.core.output.presets import ExportPreset, MapSpec, colour_of, file_stem
from ruvelt.core.output.render import render_map
from ruvelt.core.output.writer import About, writer_of

#: Formats that every reader of assets knows.
USUAL = ("png", "jpeg")
#: Maps that assets are wired with, normals with Y up, values 0–1.
SPECS = {
    m.id: m
    for m in (
        MapSpec(id="base_color", name="Base colour", components=colour_of("base_color")),
        MapSpec(id="base_color_alpha", name="Base colour and opacity", components=(*colour_of("base_color"), "opacity")),
        MapSpec(id="orm", name="Occlusion, roughness, metallic", components=("occlusion", "roughness", "metallic")),
        MapSpec(id="normal", name="Normal", components=("normal.x", "normal.y", "normal.z")),
        MapSpec(id="emission", name="Emission", components=colour_of("emission")),
        MapSpec(id="height", name="Height", components=("height",), bits=16),
        *(MapSpec(id=c, name=c.capitalize(), components=(c,)) for c in ("roughness", "metallic", "opacity", "occlusion")),
    )
}


def grey_spec(channel: str) -> MapSpec:
    """A picture of one channel of one value."""
    return MapSpec(id=channel, name=channel.replace("_", " ").capitalize(), components=(channel,))


class AssetPictures:
    """Names of pictures by sheet and map. made : those that were made for the asset, as (name, kind, bytes)"""

    def __init__(self, preset: ExportPreset, project: str, written: Sequence[WrittenFile], variant: str = "") -> None:
        self._preset, self._project, self._variant = preset, project, variant
        self._taken = {f.name.lower() for f in written} | {"listing.json"}
        self._written = written
        self._known: dict[tuple[str, tuple[str, ...], int], str] = {}
        self.made: list[tuple[str, str, bytes]] = []
        #: What assets' own pictures are like, whatever the preset packs.
        around = preset.around if preset.around != "clear" else "pixels"
        self.plain = ExportPreset(
            id="asset", name="Asset", maps=(SPECS["base_color"],), size=preset.size, padding=preset.padding, around=around,
            height_strength=preset.height_strength, template=preset.template,
        )  # fmt: skip

    def inside(self) -> AssetPictures:
        """Pictures for a package that holds its own."""
        return AssetPictures(self._preset, self._project, (), self._variant)

    def name(self, display: SheetDisplay, spec: MapSpec, variant: str | None = None) -> str:
        """The file with a map of a sheet as a variant (None: the scene's own) has it; several looks that share it have one."""
        variant = self._variant if variant is None else variant
        key = (display.evaluator.sheet.id, spec.components, map_version(display, spec))
        if key not in self._known:
            self._known[key] = self._of_set(display, spec, variant) or self._new(display, spec, variant)
        return self._known[key]

    def _of_set(self, display: SheetDisplay, spec: MapSpec, variant: str) -> str | None:
        sheet = display.evaluator.sheet
        own = self._preset.of_sheet(sheet.id)
        turned = any(c.startswith("normal.") for c in spec.components) and own.normal_y == "down"
        if turned or own.around == "clear" or own.bundle != "files":
            return None
        alike = {m.id for m in own.maps if m.components == spec.components and m.colour_space is None}
        for file in self._written:
            shown = not file.variants or variant in file.variants
            if file.sheet == sheet.name and file.map in alike and file.kind in USUAL and shown:
                return file.name
        return None

    def _new(self, display: SheetDisplay, spec: MapSpec, variant: str) -> str:
        image = self.image(display, spec)
        stem = file_stem(
            self._preset, self._project, display.evaluator.sheet.name, display.sheet_samples.plan.tile_number, spec.id, variant, image.shape[0]
        )
        while f"{stem}.png".lower() in self._taken:
            stem += "_asset"
        name = f"{stem}.png"
        self._taken.add(name.lower())
        self.made.append((name, "png", writer_of("png").encode(image, spec.bits or 8, About(spec.space(False)))))
        return name

    def image(self, display: SheetDisplay, spec: MapSpec) -> NDArray[np.uint16]:
        """(side, side[, n]) uint16 of a map as assets have it."""
        return render_map(display, spec, self.plain.of_sheet(display.evaluator.sheet.id))
