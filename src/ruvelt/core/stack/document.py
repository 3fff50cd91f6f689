"""The layer document: immutable models of sheets, layers and masks. Pixels live in planes, named here by id."""

from __future__ import annotations

import json
import re
from collections.abc import Iterator
from typing import Annotated, Any, Literal, Self

from pydantic import Field, ValidationInfo, field_validator, model_validator

from ruvelt.core.mesh.facts import AlphaMode
from ruvelt.core.stack.adjustments import Adjustment
from ruvelt.core.stack.basics import Colour, FacePick, Frozen, Id, Name, Share
from ruvelt.core.stack.blend import modes
from ruvelt.core.stack.channels import STANDARD_CHANNELS, Channel, Value
from ruvelt.core.stack.contents import Content
from ruvelt.core.stack.kinds.adjustment import SpreadingAdjust
from ruvelt.core.stack.kinds.contents.file import FileContent
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.picked_range import PickedRange
from ruvelt.core.stack.variant import MOST_VARIANTS, Variant
from ruvelt.core.tolerances import CREASE_DEG

MAX_DEPTH = 6
MOST_RANGES = 16
#: Each level has four times the faces.
MAX_LEVEL = 8
#: Context of validation for what was stored.
STORED = {"stored": True}
#: Of what goes into a layer whose blend modes may be of plug-ins that are gone.
ANY_MODE = {"modes": True}
BlendId = Annotated[str, Field(max_length=40)]
#: Numbers of parts and vertices as a model counts them.
Part = Annotated[int, Field(ge=0, le=100_000_000)]
Vertex = Annotated[int, Field(ge=0, le=2**31 - 1)]


def _known_blend(value: str | None, info: ValidationInfo) -> str | None:
    """A mode that is not known here is kept where a project has it already, and lays as normal does."""
    if value is not None and value not in modes() and not (isinstance(info.context, dict) and {"stored", "modes"} & info.context.keys()):
        raise ValueError(f"'{value}' is not a blend mode; use one of {', '.join(modes())}")
    return value


class ChannelUse(Frozen):
    """A layer's part in one channel: whether it takes part, how strongly, its own blend mode, and what a fill layer lays there.

    `content` goes before `role`, and that before `value`.
    """

    on: bool = True
    strength: Share = 1.0
    blend: BlendId | None = None
    value: Annotated[Value, Field(max_length=3)] | None = None
    content: Content | None = None
    #: The swatch role whose colour a fill lays, before `value`.
    role: Id | None = None
    #: Of height: how strong the layer's relief is.
    relief: Annotated[float, Field(ge=0, le=8, allow_inf_nan=False)] = 1.0

    _check_blend = field_validator("blend")(_known_blend)


class _Layer(Frozen):
    id: Id
    name: Name
    visible: bool = True
    locked: bool = False
    strength: Share = 1.0
    blend: BlendId = "normal"
    channels: dict[str, ChannelUse] = {}
    mask: Mask | None = None

    _check_blend = field_validator("blend")(_known_blend)


class PaintLayer(_Layer):
    """Holds painted planes; a channel without strokes says nothing."""

    kind: Literal["paint"] = "paint"


class FillLayer(_Layer):
    """Gives each of its channels one value, a picture or a pattern over the whole sheet."""

    kind: Literal["fill"] = "fill"


class AdjustLayer(_Layer):
    """Changes what lies beneath it, in the channels where it is on.

    components : of colours that are changed
    reach : "group", all beneath it among the layers of its group; "beneath", what the groups around it lie on too; "clip", only what the layer
    under it lays
    ranges : colours with settings of their own; then `adjust` changes what no range has, if `rest` says so. Channels of one value have no ranges.
    """

    kind: Literal["adjust"] = "adjust"
    adjust: Adjustment
    components: Annotated[tuple[Literal["r", "g", "b"], ...], Field(max_length=3)] = ("r", "g", "b")
    reach: Literal["group", "beneath", "clip"] = "group"
    ranges: Annotated[tuple[PickedRange, ...], Field(max_length=MOST_RANGES)] = ()
    rest: bool = False

    @model_validator(mode="after")
    def _one_kind(self) -> Self:
        if any(r.adjust.kind != self.adjust.kind for r in self.ranges):
            raise ValueError("a range's settings must be of the adjustment's own kind")
        if self.ranges and isinstance(self.adjust, SpreadingAdjust):
            raise ValueError("what reads neighbours has no ranges; give its layer a mask by colour instead")
        if len({r.id for r in self.ranges}) != len(self.ranges):
            raise ValueError("two ranges of the adjustment have one id")
        return self


class GroupLayer(_Layer):
    """Layers blended among themselves first (isolated), then laid down as one. Front first."""

    kind: Literal["group"] = "group"
    layers: tuple[Layer, ...] = ()


Layer = Annotated[PaintLayer | FillLayer | AdjustLayer | GroupLayer, Field(discriminator="kind")]
GroupLayer.model_rebuild()


class MeshMap(Frozen):
    """A mesh map that a sheet has: what it was made from and how, and whether its touch-up applies."""

    id: Id
    source: Literal["high", "model", "normal-map", "picture", "hand"] = "model"
    settings: dict[str, Any] = {}
    touch_up: bool = True


class Sheet(Frozen):
    """One set of samples with its layers: the texels of a UV square, or the model's vertices (`of`).

    `plan` counts the model's sheet plans (of a UV square); `layers` front first; `normal_map`: whether a normal map was supplied.
    `resolution`: texels a side; of vertices, which have no square, the side of the one that holds as many.
    `solo`: the one layer that shows (with what it holds, inside its groups), or None. `mesh_maps`: those that are baked or brought in.
    `normal_pictures`: normal maps that came with the model. `alpha_mode`: what opacity means when a GLB is written; "auto": blending where
    anything is let through.
    """

    id: Id
    name: Name
    of: Literal["texels", "vertices"] = "texels"
    plan: Annotated[int, Field(ge=0, le=100_000)] = 0
    #: Of vertices: the parts whose vertices these are, by number; none for all.
    parts: Annotated[tuple[Part, ...], Field(max_length=100_000)] = ()
    #: Of vertices: how often the model is subdivided, how, and above which angle its edges stay sharp.
    level: Annotated[int, Field(ge=0, le=MAX_LEVEL)] = 0
    subdivision: Literal["smooth", "simple"] = "smooth"
    sharp_deg: Annotated[float, Field(ge=0, le=180, allow_inf_nan=False)] | None = None
    #: Of vertices: whether edges where the file's normals break stay sharp too.
    file_creases: bool = False
    resolution: Annotated[int, Field(ge=256, le=8192)]
    layers: Annotated[tuple[Layer, ...], Field(max_length=1000)] = ()
    normal_map: bool = False
    solo: Id | None = None
    mesh_maps: Annotated[tuple[MeshMap, ...], Field(max_length=32)] = ()
    normal_pictures: Annotated[tuple[FileContent, ...], Field(max_length=400)] = ()
    double_sided: bool = False
    alpha_mode: AlphaMode = "auto"
    alpha_cutoff: Share = 0.5
    #: Times emission, where it is brighter than white; views show white, assets tell it.
    emissive_strength: Annotated[float, Field(ge=0, le=1e6, allow_inf_nan=False)] = 1.0

    def shown(self) -> set[str]:
        """Ids of layers that solo lets show: all without solo, else the layer, what it holds, and the groups around it."""
        every = list(self.walk())
        if self.solo is None or all(layer.id != self.solo for layer, _ in every):
            return {layer.id for layer, _ in every}
        around = next(above for layer, above in every if layer.id == self.solo)
        return {self.solo, *around, *(layer.id for layer, above in every if self.solo in above)}

    def walk(self) -> Iterator[tuple[AnyLayer, tuple[str, ...]]]:
        """Every layer front first with the ids of the groups around it."""

        def visit(layers: tuple[AnyLayer, ...], above: tuple[str, ...]) -> Iterator[tuple[AnyLayer, tuple[str, ...]]]:
            for layer in layers:
                yield layer, above
                if isinstance(layer, GroupLayer):
                    yield from visit(layer.layers, (*above, layer.id))

        return visit(self.layers, ())

    def find(self, layer_id: str) -> AnyLayer | None:
        return next((layer for layer, _ in self.walk() if layer.id == layer_id), None)


class Finish(Frozen):
    """How a surface shines, kept under a name: values of channels beside base colour, with which it is laid or left as it is."""

    id: Id
    name: Name
    values: Annotated[dict[str, Annotated[Value, Field(min_length=1, max_length=3)]], Field(min_length=1, max_length=32)]


class SwatchRole(Frozen):
    """A colour under the name of what it is for ("hull"): fills laid as this role follow it."""

    id: Id
    name: Name
    colour: Colour


class Settings(Frozen):
    """Project settings. `height_range`: object units that height 1 stands for, as a share of the model's diagonal."""

    blend_space: Literal["srgb", "linear"] = "srgb"
    height_range: Annotated[float, Field(gt=0, le=0.25, allow_inf_nan=False)] = 0.01
    swatches: Annotated[tuple[Colour, ...], Field(max_length=200)] = ()
    finishes: Annotated[tuple[Finish, ...], Field(max_length=100)] = ()
    roles: Annotated[tuple[SwatchRole, ...], Field(max_length=100)] = ()
    #: Whether vertex colours multiply the base colour in views and in a GLB, as glTF has it.
    multiply_vertex_colours: bool = False
    #: Faces that meet at no more than this angle are smooth where the file brought no normals.
    crease_deg: Annotated[float, Field(ge=0, le=180, allow_inf_nan=False)] = CREASE_DEG

    @model_validator(mode="before")
    @classmethod
    def _of_old(cls, data: Any) -> Any:
        """Projects stored before the crease angle was a setting keep the one they were painted and baked with."""
        return {**data, "crease_deg": 50.0} if isinstance(data, dict) and "blend_space" in data and "crease_deg" not in data else data


class HighMesh(Frozen):
    """A high mesh that bakes measure, or a cage; its triangles lie in the store under `high_plane_id(key)`."""

    key: Id
    name: Name
    triangles: Annotated[int, Field(ge=1, le=2**31 - 1)]


class Image(Frozen):
    """A picture that masks and fills lay on the surface; its pixels lie in the store under `image_plane_id(key)`."""

    key: Id
    name: Name
    width: Annotated[int, Field(ge=1, le=2**31 - 1)]
    height: Annotated[int, Field(ge=1, le=2**31 - 1)]


class FaceGroup(Frozen):
    """Picked faces kept under a name, for fills, masks and confinement."""

    id: Id
    name: Name
    picks: Annotated[tuple[FacePick, ...], Field(max_length=10_000)]


class Document(Frozen):
    """Everything about a project but its pixels."""

    channels: tuple[Channel, ...] = STANDARD_CHANNELS
    sheets: tuple[Sheet, ...]
    settings: Settings = Settings()
    hidden_parts: Annotated[tuple[Part, ...], Field(max_length=1_000_000)] = ()
    #: Faces that are hidden beside those parts, and the only ones that show, if any are named.
    hidden_picks: Annotated[tuple[FacePick, ...], Field(max_length=10_000)] = ()
    shown_picks: Annotated[tuple[FacePick, ...], Field(max_length=10_000)] = ()
    #: Edges (pairs of welded vertices, lower first) that split islands for picking.
    seams: Annotated[tuple[tuple[Vertex, Vertex], ...], Field(max_length=1_000_000)] = ()
    high_meshes: Annotated[tuple[HighMesh, ...], Field(max_length=64)] = ()
    #: The mesh that rays of a bake come from, where one was brought in.
    cage_mesh: HighMesh | None = None
    images: Annotated[tuple[Image, ...], Field(max_length=500)] = ()
    face_sets: Annotated[tuple[FaceGroup, ...], Field(max_length=200)] = ()
    variants: Annotated[tuple[Variant, ...], Field(max_length=MOST_VARIANTS)] = ()
    #: The variant whose values layers and roles have now, and what the base has in their place (`core.stack.variants`).
    showing: Id | None = None
    base: Variant | None = None

    @classmethod
    def from_stored(cls, text: str | bytes) -> Document:
        """A document as it was stored: kinds that are not known here, as a plug-in's that is gone, are kept whole and say nothing.

        Raises pydantic's ValidationError.
        """
        return cls.model_validate_json(text, context=STORED)

    def to_stored(self) -> str:
        """JSON for the store. There layers belong to stacks, each over one or more sets of samples; here each set has its own for now."""
        data = self.model_dump(mode="json")
        data["stacks"] = [{"id": s["id"], "layers": s.pop("layers"), "solo": s.pop("solo")} for s in data["sheets"]]
        for sheet in data["sheets"]:
            sheet["stack"] = sheet["id"]
        return json.dumps(data, ensure_ascii=False, separators=(",", ":"))

    @model_validator(mode="before")
    @classmethod
    def _of_stacks(cls, data: Any) -> Any:
        """Documents of the store have stacks; those of before them, and of the API, have layers in their sheets."""
        if not isinstance(data, dict) or "stacks" not in data:
            return data
        try:
            stacks = {s["id"]: s for s in data["stacks"]}
            sheets = [{**stacks[s["stack"]], **{k: v for k, v in s.items() if k != "stack"}} for s in data["sheets"]]
        except (KeyError, TypeError, AttributeError):
            raise ValueError("a sheet names a stack of layers that is not there") from None
        return {**{k: v for k, v in data.items() if k != "stacks"}, "sheets": sheets}

    @property
    def textured(self) -> tuple[Sheet, ...]:
        """Sheets of texels."""
        return tuple(s for s in self.sheets if s.of == "texels")

    @property
    def vertices(self) -> Sheet | None:
        """The layers on the model's vertices, if they are painted."""
        return next((s for s in self.sheets if s.of == "vertices"), None)

    def sheet(self, sheet_id: str) -> Sheet | None:
        return next((s for s in self.sheets if s.id == sheet_id), None)

    def channel(self, channel_id: str) -> Channel | None:
        return next((c for c in self.channels if c.id == channel_id), None)

    def value_of(self, use: ChannelUse) -> tuple[float, ...] | None:
        """What a fill lays in a channel of colour: its role's colour, else its own value."""
        role = next((r for r in self.settings.roles if r.id == use.role), None) if use.role is not None else None
        return role.colour if role is not None else use.value


AnyLayer = PaintLayer | FillLayer | AdjustLayer | GroupLayer


def safe_id(text: str) -> str:
    """An id made from a name: lower case, digits and dashes only."""
    return re.sub(r"[^a-z0-9]+", "-", text.lower()).strip("-")[:30] or "x"


def new_channel_uses(channels: tuple[Channel, ...]) -> dict[str, ChannelUse]:
    """The start of a layer's channels: all on; height adds to the relief below."""
    return {c.id: ChannelUse(blend="height-add" if c.kind == "height" else None) for c in channels}
