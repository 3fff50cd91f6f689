"""Export presets: which maps a map set holds, how channels are packed into them, and how files are written and named."""

from __future__ import annotations

import re
from typing import Annotated, Any, Literal

from pydantic import Field, field_validator, model_validator

from ruvelt.core.errors import InputError
from ruvelt.core.output.component import COMPONENT, part_of
from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.document import Document
from ruvelt.core.stack.mesh_maps import PREFIX, map_kinds

#: Everything else in a file name becomes "_"; dots never stand first, last or side by side.
_UNSAFE = re.compile(r"[^A-Za-z0-9._-]+")
_FIELDS = ("project", "sheet", "map", "tile", "variant", "size")
#: Names that some systems keep for devices, with any ending.
_RESERVED = re.compile(r"(con|prn|aux|nul|com[0-9]|lpt[0-9])(\.|$)", re.IGNORECASE)

Component = Annotated[str, Field(pattern=COMPONENT.pattern)]
KindId = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9-]{0,39}$")]
Size = Literal[0, 256, 512, 1024, 2048, 4096, 8192]
Bits = Literal[8, 16, 32]


class MapSpec(Frozen):
    """One picture of a map set. One component makes a grey picture, three or four make colour. What is None follows the preset.

    colour_space : None is sRGB for colours in whole numbers, linear light for colours in floating-point numbers, and data for the rest
    dither : noise of one step before codes are rounded to 8 bits; on : whether it is written unless an artist says otherwise
    """

    id: Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_]{0,39}$")]
    name: Annotated[str, Field(min_length=1, max_length=60)]
    components: Annotated[tuple[Component, ...], Field(min_length=1, max_length=4)]
    bits: Bits | None = None
    format: KindId | None = None
    size: Size | None = None
    colour_space: Literal["srgb", "linear", "data"] | None = None
    dither: bool = False
    on: bool = True

    @field_validator("components")
    @classmethod
    def _count(cls, value: tuple[str, ...]) -> tuple[str, ...]:
        if len(value) == 2:
            raise ValueError("a map has one, three or four components")
        return value

    @property
    def is_colour(self) -> bool:
        """Whether it holds colours, which are encoded as sRGB in whole numbers unless it says otherwise."""
        return part_of(self.components[0]).is_colour

    def space(self, floating: bool) -> Literal["srgb", "linear", "data"]:
        if self.colour_space is not None:
            return self.colour_space
        return "data" if not self.is_colour else "linear" if floating else "srgb"

    @property
    def mesh_maps(self) -> set[str]:
        """Ids of the mesh maps it is made of."""
        parts = (part_of(c) for c in self.components)
        return {p.source.removeprefix(PREFIX) for p in parts if p.source.startswith(PREFIX)}

    @property
    def channels(self) -> set[str]:
        """Ids of the channels that it reads, mesh maps as "map:ID"; normals are read from height."""
        return {channel for c in self.components for channel in part_of(c).reads}


class SheetOverride(Frozen):
    """What one sheet has otherwise than the preset says. What is None follows the preset; `off`: ids of maps it is not written in."""

    size: Size | None = None
    bits: Bits | None = None
    format: KindId | None = None
    padding: Annotated[int, Field(ge=0, le=256)] | None = None
    off: Annotated[tuple[str, ...], Field(max_length=40)] = ()


class ExportPreset(Frozen):
    """How a map set is written. `format`: what writes its maps; `size` 0 keeps each sheet's resolution; `quality`: of formats with loss.

    `template` takes {project}, {sheet}, {map}, {tile}, {size} and {variant}, which stays empty for maps that all variants share.
    """

    id: KindId
    name: Annotated[str, Field(min_length=1, max_length=60)]
    note: Annotated[str, Field(max_length=200)] = ""
    maps: Annotated[tuple[MapSpec, ...], Field(max_length=40)]
    #: Formats in which vertex paint is written with its mesh, by id; such a preset writes no maps.
    vertex_files: Annotated[tuple[KindId, ...], Field(max_length=8)] = ()
    #: Formats of the whole asset with its maps wired in, by id.
    assets: Annotated[tuple[KindId, ...], Field(max_length=8)] = ()
    format: KindId = "png"
    bits: Bits = 8
    quality: Annotated[int, Field(ge=1, le=100)] = 90
    size: Size = 0
    padding: Annotated[int, Field(ge=0, le=256)] = 16
    #: What lies around islands: so many pixels of padding, padding without end, nothing, or clear pixels with that padding under them.
    around: Literal["pixels", "everything", "none", "clear"] = "pixels"
    normal_y: Literal["up", "down"] = "up"
    template: Annotated[str, Field(min_length=1, max_length=120)] = "{project}_{sheet}_{map}"
    #: How OpenEXR files hold maps of one size: each in a file, or all of a sheet's as layers or parts of one.
    bundle: Literal["files", "layers", "parts"] = "files"
    #: Heights in floating-point maps as signed object units; otherwise all maps have 0–1.
    height_units: bool = False
    #: Assets have tangents.
    tangents: bool = True
    #: Times the relief of the height channel, in the normal map and in the height map.
    height_strength: Annotated[float, Field(ge=0, le=8, allow_inf_nan=False)] = 1.0
    #: Smaller copies that an engine makes of each map, for checks of padding and seams.
    mips: Annotated[int, Field(ge=0, le=12)] = 4
    #: Base colours (sRGB 0–255) that checks call too dark or too bright.
    dark: Annotated[int, Field(ge=0, le=255)] = 30
    bright: Annotated[int, Field(ge=0, le=255)] = 240
    #: On metal, which reflects its base colour.
    metal_dark: Annotated[int, Field(ge=0, le=255)] = 170
    #: By id of the sheet.
    overrides: Annotated[dict[Annotated[str, Field(max_length=60)], SheetOverride], Field(max_length=400)] = {}

    @model_validator(mode="before")
    @classmethod
    def _older(cls, value: Any) -> Any:
        """Presets kept by earlier versions say `fill` and `glb`."""
        if isinstance(value, dict) and {"fill", "glb"} & set(value):
            value = dict(value)
            if value.pop("fill", False):
                value.setdefault("around", "everything")
            if value.pop("glb", False):
                value.setdefault("assets", ("glb",))
        return value

    @model_validator(mode="after")
    def _writes_something(self) -> ExportPreset:
        if not self.maps and not self.vertex_files:
            raise ValueError("a preset writes at least one map, or vertex colours")
        if len({m.id for m in self.maps}) != len(self.maps):
            raise ValueError("two maps of the preset have one id")
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

    def of_sheet(self, sheet: str) -> ExportPreset:
        """The preset as one sheet has it."""
        own = self.overrides.get(sheet)
        if own is None:
            return self
        values = {k: v for k in ("size", "bits", "format", "padding") if (v := getattr(own, k)) is not None}
        return self.model_copy(update={**values, "maps": tuple(m for m in self.maps if m.id not in own.off)})


def colour_of(channel: str) -> tuple[str, ...]:
    """The three components of a colour."""
    return (f"{channel}.r", f"{channel}.g", f"{channel}.b")


def _baked(map_id: str) -> MapSpec:
    kind = map_kinds()[map_id]
    components = [f"{PREFIX}{map_id}.{letter}" for letter in "rgb"] if kind.components == 3 else [PREFIX + map_id]
    return MapSpec(id=map_id, name=kind.label, components=tuple(components))


_BASE = MapSpec(id="base_color", name="Base colour", components=colour_of("base_color"))
_BASE_ALPHA = MapSpec(id="base_color", name="Base colour and opacity", components=(*colour_of("base_color"), "opacity"))
_NORMAL = MapSpec(id="normal", name="Normal", components=("normal.x", "normal.y", "normal.z"))
_EMISSION = MapSpec(id="emission", name="Emission", components=colour_of("emission"))
_ROUGHNESS = MapSpec(id="roughness", name="Roughness", components=("roughness",))
_METALLIC = MapSpec(id="metallic", name="Metallic", components=("metallic",))
_HEIGHT = MapSpec(id="height", name="Height", components=("height",), bits=16)
_OPACITY = MapSpec(id="opacity", name="Opacity", components=("opacity",))
_OCCLUSION = MapSpec(id="occlusion", name="Occlusion", components=("occlusion",))
_ORM = MapSpec(id="orm", name="Occlusion, roughness, metallic", components=("occlusion", "roughness", "metallic"))

BUILT_IN: tuple[ExportPreset, ...] = (
    ExportPreset(
        id="separate-maps",
        name="Separate maps",
        note="One picture a channel, for renderers and for further work",
        maps=(_BASE, _ROUGHNESS, _METALLIC, _HEIGHT, _NORMAL, _EMISSION, _OPACITY, _OCCLUSION),
    ),
    ExportPreset(
        id="packed-orm",
        name="Engine: occlusion, roughness, metallic",
        note="Three values in one picture, as real-time engines and glTF read them, with a GLB",
        maps=(_BASE_ALPHA, _ORM, _NORMAL, _EMISSION),
        assets=("glb",),
    ),
    ExportPreset(
        id="packed-rma",
        name="Engine: roughness, metallic, occlusion",
        note="Packed in another common order; normals with Y down",
        maps=(
            _BASE_ALPHA,
            MapSpec(id="rma", name="Roughness, metallic, occlusion", components=("roughness", "metallic", "occlusion")),
            _NORMAL,
            _EMISSION,
        ),
        normal_y="down",
    ),
    ExportPreset(
        id="packed-mask",
        name="Engine: metallic, occlusion, smoothness in alpha",
        note="Metallic in red, occlusion in green, height in blue, and one minus roughness in alpha",
        maps=(
            _BASE_ALPHA,
            MapSpec(id="mask", name="Metallic, occlusion, height, smoothness", components=("metallic", "occlusion", "height", "1-roughness")),
            _NORMAL,
            _EMISSION,
        ),
    ),
    ExportPreset(
        id="specular-glossiness",
        name="Specular–glossiness",
        note="Diffuse and specular colours made of base colour and metallic, gloss for roughness",
        maps=(
            MapSpec(id="diffuse", name="Diffuse and opacity", components=(*colour_of("diffuse"), "opacity")),
            MapSpec(id="specular", name="Specular and gloss", components=(*colour_of("specular"), "1-roughness")),
            _NORMAL,
            _OCCLUSION,
            _EMISSION,
        ),
    ),
    ExportPreset(
        id="offline-renderer",
        name="Offline renderer",
        note="OpenEXR in linear light, numbered tiles, heights in the model's own units",
        maps=(
            _BASE,
            _ROUGHNESS,
            _METALLIC,
            _HEIGHT.model_copy(update={"bits": 32}),
            _NORMAL,
            _EMISSION,
            _OPACITY,
        ),
        format="exr",
        bits=16,
        around="everything",
        height_units=True,
    ),
    ExportPreset(
        id="mobile",
        name="Mobile",
        note="Half size, WebP and JPEG, with fewer smaller copies",
        maps=(_BASE_ALPHA, _ORM.model_copy(update={"format": "jpeg"}), _NORMAL, _EMISSION.model_copy(update={"format": "jpeg"})),
        format="webp",
        quality=88,
        size=1024,
        padding=8,
        mips=3,
    ),
    ExportPreset(
        id="flat-colour",
        name="Flat colour only",
        note="Just the painted colour, for print and for hand-shaded work",
        maps=(_BASE,),
    ),
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
    known = {channel for m in preset.maps for channel in m.channels}
    extra = tuple(
        MapSpec(id=c.id, name=c.name, components=colour_of(c.id) if c.kind == "colour" else (c.id,)) for c in document.channels if c.id not in known
    )
    return preset.model_copy(update={"maps": preset.maps + extra})


def file_stem(preset: ExportPreset, project: str, sheet: str, tile: int, map_id: str, variant: str = "", size: int = 0) -> str:
    """A file name without ending: safe characters only, never empty, never a path, never a device's name. Variants' names come last."""
    values = {"project": project, "sheet": sheet, "tile": str(tile), "map": map_id, "variant": variant, "size": str(size)}
    template = preset.template
    if variant and "{variant}" not in template:
        template += "_{variant}"
    elif not variant:
        template = re.sub(r"[_. -]?\{variant\}", "", template)
    text = re.sub(r"\{([a-z]+)\}", lambda m: values[m[1]], template)
    stem = re.sub(r"\.{2,}", ".", _UNSAFE.sub("_", text))[:150].strip("_.")
    if not stem:
        raise InputError("The name template leaves an empty file name. Use letters, digits, dots, - and _.")
    return f"{stem.partition('.')[0]}_map{''.join(stem.partition('.')[1:])}" if _RESERVED.match(stem) else stem
