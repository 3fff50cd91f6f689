"""Export presets: which maps a map set holds, how channels are packed into them, and how files are named."""

from __future__ import annotations

import re
from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from ruvelt.core.errors import InputError
from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.mesh_maps import PREFIX, map_kinds

#: Everything else in a file name becomes "_"; dots never stand first, last or side by side.
_UNSAFE = re.compile(r"[^A-Za-z0-9._-]+")
_FIELDS = ("project", "sheet", "map", "tile", "variant")

#: One component of a map: "base_color.r", "roughness", "normal.y", a baked "map:curvature", or the constants "0" and "1".
Component = Annotated[str, Field(pattern=r"^([01]|(map:)?[a-z][a-z0-9_]{0,39}(\.[rgbxyz])?)$")]


class MapSpec(Frozen):
    """One picture of a map set. One component makes a grey picture, three or four make colour. `bits` None follows the export."""

    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_]{0,39}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    components: Annotated[tuple[Component, ...], Field(min_length=1, max_length=4)]
    bits: Literal[8, 16] | None = None

    @field_validator("components")
    @classmethod
    def _count(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if len(value) == 2:
            raise ValueError("a map has one, three or four components")
        return value

    @property
    def colour_space(self) -> str:
        """ "srgb" for maps that hold a colour channel, else "data"."""
        return "srgb" if self.components[0].startswith(("base_color.", "emission.")) else "data"

    @property
    def mesh_maps(self) -> set[str]:
        """Ids of the mesh maps it is made of."""
        return {c.removeprefix(PREFIX).split(".")[0] for c in self.components if c.startswith(PREFIX)}


class ExportPreset(Frozen):
    """How a map set is written. `format`: what writes its maps; `size` 0 keeps each sheet's resolution.

    `template` takes {project}, {sheet}, {map}, {tile} and {variant}, which stays empty for maps that all variants share.
    """

    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    note: Annotated[str, Field(max_length=200)] = ""
    maps: Annotated[tuple[MapSpec, ...], Field(max_length=40)]
    #: Formats in which vertex paint is written with its mesh, by id; such a preset writes no maps.
    vertex_files: Annotated[tuple[str, ...], Field(max_length=8)] = ()
    format: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")] = "png"
    bits: Literal[8, 16] = 8
    size: Literal[0, 256, 512, 1024, 2048, 4096, 8192] = 0
    padding: Annotated[int, Field(ge=0, le=256)] = 16
    #: Padding without end: every texel repeats its nearest island.
    fill: bool = False
    normal_y: Literal["up", "down"] = "up"
    template: Annotated[str, Field(min_length=1, max_length=120)] = "{project}_{sheet}_{map}"
    glb: bool = False
    #: Times the relief of the height channel, in the normal map and in the height map.
    height_strength: Annotated[float, Field(ge=0, le=8, allow_inf_nan=False)] = 1.0

    @model_validator(mode="after")
    def _writes_something(self) -> ExportPreset:
        if not self.maps and not self.vertex_files:
            raise ValueError("a preset writes at least one map, or vertex colours")
        return self

    @field_validator("template")
    @classmethod
    def _fields(cls, value: str) -> str:
        unknown = [f for f in re.findall(r"\{([^{}]*)\}", value) if f not in _FIELDS]
        if unknown or value.count("{") != value.count("}"):
            raise ValueError(f"the name template knows {', '.join('{' + f + '}' for f in _FIELDS)} only")
        if "{map}" not in value:
            raise ValueError("the name template needs {map}, or all maps would have one name")
        return value


def _colour(channel: str) -> tuple[str, ...]:
    return (f"{channel}.r", f"{channel}.g", f"{channel}.b")


def _baked(map_id: str) -> MapSpec:
    kind = map_kinds()[map_id]
    components = [f"{PREFIX}{map_id}.{letter}" for letter in "rgb"] if kind.components == 3 else [PREFIX + map_id]
    return MapSpec(id=map_id, name=kind.label, components=tuple(components))


_BASE = MapSpec(id="base_color", name="Base colour", components=_colour("base_color"))
_NORMAL = MapSpec(id="normal", name="Normal", components=("normal.x", "normal.y", "normal.z"))
_EMISSION = MapSpec(id="emission", name="Emission", components=_colour("emission"))

BUILT_IN: tuple[ExportPreset, ...] = (
    ExportPreset(
        id="separate-maps",
        name="Separate maps",
        note="One picture a channel, for renderers and for further work",
        maps=(
            _BASE,
            MapSpec(id="roughness", name="Roughness", components=("roughness",)),
            MapSpec(id="metallic", name="Metallic", components=("metallic",)),
            MapSpec(id="height", name="Height", components=("height",), bits=16),
            _NORMAL,
            _EMISSION,
            MapSpec(id="opacity", name="Opacity", components=("opacity",)),
            MapSpec(id="occlusion", name="Occlusion", components=("occlusion",)),
        ),
    ),
    ExportPreset(
        id="packed-orm",
        name="Packed occlusion, roughness, metallic",
        note="Three values in one picture, as real-time engines and glTF read them, with a GLB",
        maps=(
            MapSpec(id="base_color", name="Base colour and opacity", components=(*_colour("base_color"), "opacity")),
            MapSpec(id="orm", name="Occlusion, roughness, metallic", components=("occlusion", "roughness", "metallic")),
            _NORMAL,
            _EMISSION,
        ),
        glb=True,
    ),
    ExportPreset(id="flat-colour", name="Flat colour only", note="Just the painted colour, for hand-shaded work", maps=(_BASE,)),
    ExportPreset(
        id="baked-maps",
        name="Baked mesh maps",
        note="What each sheet has baked, with its touch-up, for work elsewhere",
        maps=tuple(_baked(map_id) for map_id, kind in map_kinds().items() if not kind.own_use),
        bits=16,
    ),
    ExportPreset(
        id="vertex-colours",
        name="Vertex colours",
        note="The mesh with its vertex paint: colours, and the other channels as numbers of each vertex",
        maps=(),
        vertex_files=("ply", "glb", "obj"),
    ),
)


def with_own_channels(preset: ExportPreset, document: Document) -> ExportPreset:
    """ "Separate maps" as it is built in also writes the channels an artist added; one that was changed writes what it says."""
    if preset.id != "separate-maps" or preset.maps != next(p.maps for p in BUILT_IN if p.id == preset.id):
        return preset
    known = {c.split(".")[0] for m in preset.maps for c in m.components}
    extra = tuple(
        MapSpec(id=c.id, name=c.name, components=_colour(c.id) if c.kind == "colour" else (c.id,)) for c in document.channels if c.id not in known
    )
    return preset.model_copy(update={"maps": preset.maps + extra})


def file_stem(preset: ExportPreset, project: str, sheet: str, tile: int, map_id: str, variant: str = "") -> str:
    """A file name without ending: safe characters only, never empty, never a path. Without {variant} in it, variants' names come last."""
    values = {"project": project, "sheet": sheet, "tile": str(tile), "map": map_id, "variant": variant}
    template = preset.template
    if variant and "{variant}" not in template:
        template += "_{variant}"
    elif not variant:
        template = re.sub(r"[_. -]?\{variant\}", "", template)
    text = re.sub(r"\{([a-z]+)\}", lambda m: values[m[1]], template)
    stem = re.sub(r"\.{2,}", ".", _UNSAFE.sub("_", text))[:150].strip("_.")
    if not stem:
        raise InputError("The name template leaves an empty file name. Use letters, digits, dots, - and _.")
    return stem
