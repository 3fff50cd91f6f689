"""Stroke scripts: the simulated pen. JSON that replays strokes, floods and layer edits with no browser."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field, ValidationError, model_validator

from ruvelt.core.brush.gradient import Gradient
from ruvelt.core.brush.settings import Brush
from ruvelt.core.brush.shapes import Shape
from ruvelt.core.brush.target import Paint, Target
from ruvelt.core.errors import InputError
from ruvelt.core.stack.adjustments import Adjustment
from ruvelt.core.stack.basics import FacePick, Frozen, Id, Name, Share
from ruvelt.core.stack.camera import Camera, Coordinate
from ruvelt.core.stack.document import ChannelUse
from ruvelt.core.stack.masks import Mask
from ruvelt.core.stack.picked_range import PickedRange

#: Pointer samples of one stroke; a longer recording is split into several strokes.
MAX_POINTS = 20_000
Pair = tuple[Coordinate, Coordinate]
Triple = tuple[Coordinate, Coordinate, Coordinate]


class AddLayerStep(Frozen):
    """Put a new layer in front of the target layer (or of everything) and make it the target. `as`: a name later steps may use."""

    do: Literal["add-layer"]
    kind: Literal["paint", "fill", "adjust", "group"]
    name: Name
    sheet: str | None = None
    into: str | None = None
    ref: Id | None = None
    blend: str = "normal"
    strength: Share = 1.0
    channels: dict[str, ChannelUse] = {}
    mask: Mask | None = None
    adjust: Adjustment | None = None
    #: What an adjustment layer says beside it; None: as a new one has it.
    components: tuple[Literal["r", "g", "b"], ...] | None = None
    reach: Literal["group", "beneath", "clip"] | None = None
    ranges: Annotated[tuple[PickedRange, ...], Field(max_length=16)] | None = None
    rest: bool | None = None

    @model_validator(mode="after")
    def _adjusts(self) -> AddLayerStep:
        if (self.kind == "adjust") != (self.adjust is not None):
            raise ValueError("an adjustment layer, and no other, says what it does in 'adjust'")
        if self.kind != "adjust" and self.adjusting():
            raise ValueError(f"only an adjustment layer has {', '.join(self.adjusting())}")
        return self

    def adjusting(self) -> dict[str, Any]:
        """What is said of an adjustment layer."""
        said = {k: getattr(self, k) for k in ("adjust", "components", "reach", "ranges", "rest")}
        return {k: v for k, v in said.items() if v is not None}


class MaskStep(Frozen):
    """Give a layer (the target's without a name) a whole mask, or take it away. Sources name other layers by `ref` or id."""

    do: Literal["mask"]
    layer: str | None = None
    sheet: str | None = None
    mask: Mask | None


class TargetStep(Frozen):
    """Choose what the next strokes change: a layer by name, `ref` or id, and its channels, or the painted source of its mask.

    Or the touch-up over a mesh map: `mesh_map` by its id, without a layer.
    """

    do: Literal["target"]
    layer: str | None = None
    sheet: str | None = None
    channels: tuple[str, ...] = ()
    mask: bool = False
    mesh_map: Id | None = None

    @model_validator(mode="after")
    def _one_target(self) -> TargetStep:
        if (self.layer is None) == (self.mesh_map is None):
            raise ValueError("a target is either a 'layer' or a 'mesh_map'")
        return self


class BrushStep(Frozen):
    """Set the brush; what is left out keeps its start value."""

    do: Literal["brush"]
    brush: Brush = Brush()


class PaintStep(Frozen):
    """Set what strokes and floods lay."""

    do: Literal["paint"]
    paint: Paint


class StrokeStep(Frozen):
    """One stroke by `surface` points (object space), by `view` points (pixels) with a camera, by `sheet` points (texels, y down), or a `shape`.

    Points are joined by a smooth curve, but for corners: turns of more than 60 degrees, unless `times` tell that the hand was fast.
    `pressure`: one value for all points, or as many as points; `times`: seconds, as many as points, or none.
    """

    do: Literal["stroke"]
    surface: Annotated[tuple[Triple, ...], Field(max_length=MAX_POINTS)] = ()
    view: Annotated[tuple[Pair, ...], Field(max_length=MAX_POINTS)] = ()
    sheet: Annotated[tuple[Pair, ...], Field(max_length=MAX_POINTS)] = ()
    shape: Shape | None = None
    camera: Camera | None = None
    texels_per_pixel: Annotated[float, Field(gt=0, le=10_000, allow_inf_nan=False)] = 1.0
    pressure: Share | Annotated[tuple[Share, ...], Field(max_length=MAX_POINTS)] = 1.0
    times: Annotated[tuple[Annotated[float, Field(ge=0, allow_inf_nan=False)], ...], Field(max_length=MAX_POINTS)] = ()

    @model_validator(mode="after")
    def _one_path(self) -> StrokeStep:
        given = [name for name in ("surface", "view", "sheet", "shape") if getattr(self, name)]
        if len(given) != 1:
            raise ValueError("a stroke needs points in exactly one of 'surface', 'view' and 'sheet', or a 'shape'")
        if given == ["view"] and self.camera is None:
            raise ValueError("a stroke by 'view' points needs its 'camera'")
        if isinstance(self.pressure, tuple) and given == ["shape"]:
            raise ValueError("a 'shape' has one 'pressure' for all of it")
        if isinstance(self.pressure, tuple) and len(self.pressure) != len(getattr(self, given[0])):
            raise ValueError("'pressure' needs one value, or as many as there are points")
        if self.times and len(self.times) != len(getattr(self, given[0]) if given != ["shape"] else ()):
            raise ValueError("'times' needs as many values as there are points, or none")
        return self


class FloodStep(Frozen):
    """Flood picked faces of the target's sheet, or all of it when no picks are given."""

    do: Literal["flood"]
    picks: Annotated[tuple[FacePick, ...], Field(max_length=10_000)] | None = None
    part: str | None = None
    strength: Share = 1.0
    gradient: Gradient | None = None


class UndoStep(Frozen):
    do: Literal["undo", "redo"]


Step = Annotated[AddLayerStep | MaskStep | TargetStep | BrushStep | PaintStep | StrokeStep | FloodStep | UndoStep, Field(discriminator="do")]


class StrokeScript(Frozen):
    """A whole script."""

    format: Literal["ruvelt-strokes"]
    version: Literal[1]
    steps: Annotated[tuple[Step, ...], Field(max_length=100_000)]


class RecordedStroke(Frozen):
    """What history keeps of a stroke beside its chunks: enough to paint it again at another resolution."""

    target: Target
    brush: Brush
    paint: Paint
    stroke: StrokeStep


def parse_script(content: Any) -> StrokeScript:
    """A script from parsed JSON. Raises InputError naming the first step and field that is wrong."""
    try:
        return StrokeScript.model_validate(content)
    except ValidationError as error:
        first = error.errors()[0]
        where = (
            ".".join(str(p) for p in first["loc"] if "function-after" not in str(p) and p not in ("StrokeStep", "TargetStep", "AddLayerStep"))
            or "the file"
        )
        raise InputError(f"The stroke script is wrong at {where}: {first['msg']}. See docs/developers/stroke-scripts.md.") from None
