"""The target: the cells of the layer grid that the next stroke changes (N4.5), checked before anything moves."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import Field, field_validator, model_validator

from ruvelt.core.brush.confine import Confine
from ruvelt.core.errors import Conflict, InputError, NotFound
from ruvelt.core.stack.basics import Colour, Frozen, Id, Share
from ruvelt.core.stack.blend import modes
from ruvelt.core.stack.channels import Channel, encode
from ruvelt.core.stack.document import AnyLayer, Document, GroupLayer, PaintLayer, Sheet
from ruvelt.core.stack.kinds.sources.painted import PaintedSource
from ruvelt.core.stack.mesh_maps import PREFIX, map_channel
from ruvelt.core.stack.plane_ids import TOUCH_UP, mask_plane_id, plane_id, touch_up_plane_id

Values = dict[str, Annotated[tuple[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)], ...], Field(min_length=1, max_length=3)]]


Coordinate = Annotated[float, Field(ge=-1e12, le=1e12, allow_inf_nan=False)]
Place = tuple[Coordinate, Coordinate, Coordinate]


class Target(Frozen):
    """Channel cells of one paint layer, one painted mask source, or the touch-up over a mesh map (then `layer` says nothing)."""

    sheet: Id
    layer: Id = "none"
    channels: tuple[str, ...] = ()
    mask: Id | None = None
    mesh_map: Id | None = None


class CloneFrom(Frozen):
    """Where clone reads, object space: `source` for what lies under `anchor`. Without an anchor, under the stroke's first dab."""

    source: Place
    anchor: Place | None = None


class SmearSettings(Frozen):
    """What smear does. mode : "mix" carries paint and lays it; "push" moves what is there, borders and all.

    wetness : share of the paint laid that the brush takes up in exchange; at 1 no paint is made or lost
    """

    mode: Literal["mix", "push"] = "mix"
    wetness: Share = 0.25


class Tone(Frozen):
    """How the tone tool changes what is there, on encoded values v with lightness L (Rec. 709 weights), amount a and the range's weight w.

    lighten v + (1 − v)aw · darken v − vaw · contrast (v − ½)(1 + aw) + ½ · hue: turned by `degrees` aw, and by as much less as less is laid
    In OKLab at the lightness that is there: saturate chroma (1 + aw) · desaturate chroma (1 − aw) · tint: towards the hue and chroma of `colour`
    by aw; what sRGB cannot hold loses chroma alone. One number has none of these.
    range : w is 1, (1 − L)², 4L(1 − L) or L²
    """

    change: Literal["lighten", "darken", "contrast", "saturate", "desaturate", "hue", "tint"] = "lighten"
    range: Literal["all", "shadows", "midtones", "highlights"] = "all"
    amount: Share = 0.3
    degrees: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 30.0
    colour: Colour = (0.5, 0.5, 0.5)


class Paint(Frozen):
    """What a stroke lays: a value per channel in the channel's own range (colours sRGB-encoded), a value for a mask, or erasing.

    tool : "paint" lays the values; "soften" what neighbours within `reach` (share of the brush's radius) come to; "smear" what the brush
    carries along; "clone" what lies elsewhere; "tone" what is there, changed. second, second_mask : what a brush that mixes goes towards.
    blend : how painted values meet what is there; what comes out is laid. confine : what alone may change. settings : of the tool's own sliders
    reads : what these look at: "all" the channel as it looks, layers beneath included, or "layer"
    what the target itself holds, which then moves towards it, coverage and all. In a mask they read the painted source.
    """

    values: Values = {}
    mask_value: Share = 1.0
    erase: bool = False
    second: Values = {}
    second_mask: Share = 0.0
    blend: str = "normal"
    confine: Confine = Confine()
    tool: str = "paint"
    settings: Annotated[dict[str, Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]], Field(max_length=16)] = {}
    reads: Literal["all", "layer"] = "all"
    tone: Tone = Tone()
    smear: SmearSettings = SmearSettings()
    clone: CloneFrom | None = None
    reach: Annotated[float, Field(ge=0.02, le=1, allow_inf_nan=False)] = 0.35

    @field_validator("blend")
    @classmethod
    def _known_blend(cls, value: str) -> str:
        if value not in modes():
            raise ValueError(f"'{value}' is not a blend mode; use one of {', '.join(modes())}")
        return value

    @field_validator("tool")
    @classmethod
    def _known_tool(cls, value: str) -> str:
        from ruvelt.core.brush.hand_tools import own_tools

        if value != "paint" and value not in own_tools():
            raise ValueError(f"'{value}' is not a tool here; use one of paint, {', '.join(own_tools())}")
        return value

    def setting(self, name: str) -> float:
        """The value of one of the tool's own sliders, within its ends."""
        from ruvelt.core.brush.hand_tools import hand_tools

        tool = hand_tools()[self.tool]
        control = next(c for c in tool.controls if c.id == name)
        return min(max(self.settings.get(name, tool.first.get(name, control.low)), control.low), control.high)

    @property
    def cover(self) -> float:
        """How many times its coverage a stroke is laid with: a sixth of the wheel may change a colour as far as it goes."""
        turns = not self.erase and self.tool == "tone" and self.tone.change == "hue"
        return max(1.0, abs(self.tone.degrees) * self.tone.amount / 60) if turns else 1.0

    @property
    def looks(self) -> bool:
        """Whether what is laid depends on what is there."""
        return not self.erase and (self.tool != "paint" or self.blend != "normal")

    @model_validator(mode="after")
    def _complete(self) -> Paint:
        if self.tool == "clone" and self.clone is None:
            raise ValueError("clone needs a source; choose one on the model first")
        return self


@dataclass(frozen=True, eq=False)
class Cell:
    """One plane that a stroke writes. `codes`, and `second` of a brush that mixes: (components,) uint16."""

    plane: str
    components: int
    values_u16: NDArray[np.uint16]
    second: NDArray[np.uint16]
    channel: str | None
    source: str | None = None
    #: The code of a mask's painted source where it is not painted.
    base: int = 0


@dataclass(frozen=True, eq=False)
class ResolvedTarget:
    """A checked target: the sheet, the layer, the cells to write, and the channels whose look changes."""

    sheet: Sheet
    layer: AnyLayer
    cells: tuple[Cell, ...]
    channels: tuple[str, ...]


_ARTICLES = {"fill": "a fill", "group": "a group", "adjust": "an adjustment"}


def resolve_target(document: Document, target: Target, paint: Paint) -> ResolvedTarget:
    """Check a target against the document.

    Raises NotFound when it is gone, Conflict when it is locked or hidden, InputError when there is nothing to lay.
    """
    sheet = document.sheet(target.sheet)
    if sheet is None:
        raise NotFound(f"There is no sheet '{target.sheet}' in this project any more. Choose a sheet.")
    if target.mesh_map is not None:
        return _touch_up(sheet, target.mesh_map, paint)
    layer = sheet.find(target.layer)
    if layer is None:
        raise NotFound("The target layer is gone; it may have been deleted in another window. Choose a cell in the layer grid.")
    around = [sheet.find(g) for entry, above in sheet.walk() if entry.id == layer.id for g in above]
    for place in (layer, *around):
        if place is not None and place.locked:
            raise Conflict(f"Nothing painted: '{place.name}' is locked. Unlock it or choose another target.")
        if place is not None and not place.visible:
            raise Conflict(f"Nothing painted: '{place.name}' is hidden. Show it or choose another target.")
    if layer.id not in sheet.shown():
        raise Conflict(f"Nothing painted: another layer is shown alone. Take that back or choose a target that shows ('{layer.name}' does not).")
    if target.mask is not None:
        source = next((s for s in (layer.mask.sources if layer.mask else ()) if s.id == target.mask), None)
        if not isinstance(source, PaintedSource):
            raise NotFound("The painted mask that was the target is gone. Choose a cell in the layer grid.")
        code = np.array([round(paint.mask_value * 65535)], np.uint16)
        second = np.array([round(paint.second_mask * 65535)], np.uint16)
        cell = Cell(mask_plane_id(sheet.id, layer.id, source.id), 2, code, second, None, source.id, round(source.base * 65535))
        return ResolvedTarget(sheet, layer, (cell,), tuple(c.id for c in document.channels if _shows_in(layer, c)))
    if not isinstance(layer, PaintLayer):
        raise InputError(f"'{layer.name}' is {_ARTICLES[layer.kind]} layer; only its mask can be painted. Choose its mask, or a paint layer.")
    cells = []
    for channel_id in target.channels:
        channel = document.channel(channel_id)
        if channel is None:
            raise NotFound(f"There is no channel '{channel_id}' in this project. Choose another cell.")
        value = paint.values.get(channel_id)
        if value is None and not paint.erase and paint.tool == "paint":
            continue
        if value is not None and len(value) != channel.components:
            raise InputError(f"{channel.name} takes {channel.components} values, not {len(value)}.")
        values_u16 = encode(channel, value if value is not None else channel.start)
        cells.append(
            Cell(plane_id(sheet.id, layer.id, channel_id), channel.components + 1, values_u16, _second(channel, paint, values_u16), channel_id)
        )
    if not cells:
        raise InputError("Nothing to lay: choose at least one channel of the target and give it a value.")
    return ResolvedTarget(sheet, layer, tuple(cells), tuple(c.channel for c in cells if c.channel))


def _second(channel: Channel, paint: Paint, values_u16: NDArray[np.uint16]) -> NDArray[np.uint16]:
    """What a brush that mixes goes towards in a channel; without a value of its own, the first."""
    value = paint.second.get(channel.id)
    if value is None:
        return values_u16
    if len(value) != channel.components:
        raise InputError(f"{channel.name} takes {channel.components} values, not {len(value)}.")
    return encode(channel, value)


def _touch_up(sheet: Sheet, map_id: str, paint: Paint) -> ResolvedTarget:
    entry = next((m for m in sheet.mesh_maps if m.id == map_id), None)
    channel = map_channel(PREFIX + map_id)
    if entry is None or channel is None:
        raise NotFound(f"{sheet.name} has no such mesh map. Bake it first, then touch it up.")
    if not entry.touch_up:
        raise Conflict(f"Nothing painted: the touch-up of {channel.name} is switched off. Switch it on first.")
    value = paint.values.get(channel.id, paint.values.get("value"))
    if value is None and not paint.erase and paint.tool == "paint":
        raise InputError("Nothing to lay: choose a value for the mesh map.")
    if value is not None and len(value) != channel.components:
        raise InputError(f"{channel.name} takes {channel.components} values, not {len(value)}.")
    values_u16 = encode(channel, value if value is not None else channel.start)
    layer = PaintLayer.model_construct(id=TOUCH_UP + map_id, name=f"Touch-up of {channel.name}", mask=None)
    cell = Cell(touch_up_plane_id(sheet.id, map_id), channel.components + 1, values_u16, _second(channel, paint, values_u16), channel.id)
    return ResolvedTarget(sheet, layer, (cell,), (channel.id,))


def _shows_in(layer: AnyLayer, channel: Channel) -> bool:
    if isinstance(layer, GroupLayer):
        return any(_shows_in(child, channel) for child in layer.layers)
    use = layer.channels.get(channel.id)
    return layer.kind == "paint" if use is None else use.on
