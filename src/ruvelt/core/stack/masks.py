"""Masks: a stack of sources, each laid on what is under it, with shapers that reshape what is under them. Bottom first."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ruvelt.core.stack.basics import Colour, FacePick, Frozen, Id, Length, Share, Vector
from ruvelt.core.stack.fields import Levels, Noise, Picture, Spots

Combine = Literal["replace", "multiply", "add", "subtract", "max", "min"]
Signed = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]
MAX_STEPS = 32


class _Step(Frozen):
    id: Id
    on: bool = True
    strength: Share = 1.0


class _Source(_Step):
    combine: Combine = "replace"
    invert: bool = False


class Ramped(_Source):
    """A measure becomes 0 at `low` and 1 at `high`; softness turns the straight ramp into a smooth step."""

    low: Signed
    high: Signed
    softness: Share = 0.5

    @model_validator(mode="after")
    def _upright(self) -> Self:
        if self.low > self.high:
            raise ValueError("the range's low end lies above its high end; exchange them")
        return self


class PaintedSource(_Source):
    """A mask painted by hand; `base` is its value (0 hides, 1 reveals) where no stroke has been."""

    kind: Literal["painted"] = "painted"
    base: Share = 0.0


class FacesSource(_Source):
    """Reveals picked faces."""

    kind: Literal["faces"] = "faces"
    picks: tuple[FacePick, ...] = ()


class IdColourSource(_Source):
    """Reveals where the baked id colour is one of `colours`."""

    kind: Literal["id_colour"] = "id_colour"
    colours: Annotated[tuple[Colour, ...], Field(max_length=32)] = ()
    tolerance: Share = 0.02


class CurvatureSource(Ramped):
    """Edges, recesses or both, from the baked curvature; `radius` (share of the diagonal) widens what counts as one."""

    kind: Literal["curvature"] = "curvature"
    which: Literal["edges", "recesses", "both"] = "edges"
    low: Signed = 0.1
    high: Signed = 0.45
    radius: Annotated[Length, Field(le=0.1)] = 0.0


class OcclusionSource(Ramped):
    """Where little light comes: 0 in the open, 1 fully hidden, from the baked occlusion."""

    kind: Literal["occlusion"] = "occlusion"
    low: Signed = 0.15
    high: Signed = 0.65


class ThicknessSource(Ramped):
    """Thick places, from the baked thickness."""

    kind: Literal["thickness"] = "thickness"
    low: Signed = 0.2
    high: Signed = 0.8


class PositionSource(Ramped):
    """Rises along a direction of object space, from one end of the model (0) to the other (1)."""

    kind: Literal["position"] = "position"
    along: Vector = (0.0, 1.0, 0.0)
    low: Signed = 0.25
    high: Signed = 0.75


class GradientSource(_Source):
    """From 0 at `start` to 1 at `end` (object space), along the line or outwards as a ball; the whole height of the model without them."""

    kind: Literal["gradient"] = "gradient"
    start: Vector | None = None
    end: Vector | None = None
    form: Literal["line", "ball"] = "line"
    softness: Share = 0.0


class FacingSource(Ramped):
    """Surfaces that look along a direction of object space: the measure is the cosine between it and the normal."""

    kind: Literal["facing"] = "facing"
    along: Vector = (0.0, 1.0, 0.0)
    low: Signed = 0.2
    high: Signed = 0.9


class NoiseSource(_Source, Noise):
    """Noise in object space: no seam shows."""

    kind: Literal["noise"] = "noise"


class SpotsSource(_Source, Spots):
    """Spots in object space."""

    kind: Literal["spots"] = "spots"


class ImageSource(_Source, Picture):
    """The lightness of a picture, or its alpha."""

    kind: Literal["image"] = "image"
    reads: Literal["lightness", "alpha"] = "lightness"


class LayerSource(_Source):
    """Another layer's mask, or its part in a channel: where it holds paint (coverage), or how bright what it holds is (value)."""

    kind: Literal["layer"] = "layer"
    layer: Id | None = None
    part: Annotated[str, Field(pattern=r"^(mask|[a-z][a-z0-9_]{0,39})$")] = "mask"
    measure: Literal["coverage", "value"] = "coverage"


class ColourRangeSource(_Source):
    """Where what lies beneath the layer has one of `colours`; tolerance and softness are distances in OKLab."""

    kind: Literal["colour_range"] = "colour_range"
    channel: Annotated[str, Field(pattern=r"^[a-z][a-z0-9_]{0,39}$")] = "base_color"
    colours: Annotated[tuple[Colour, ...], Field(max_length=8)] = ()
    tolerance: Share = 0.08
    softness: Share = 0.08


class LevelsShaper(_Step, Levels):
    """Stretches in_low … in_high to out_low … out_high, mid-tones by gamma."""

    kind: Literal["levels"] = "levels"


class CurveShaper(_Step):
    """A smooth curve through points, left to right, that never overshoots them."""

    kind: Literal["curve"] = "curve"
    points: Annotated[tuple[tuple[Share, Share], ...], Field(min_length=2, max_length=16)] = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))

    @model_validator(mode="after")
    def _rising(self) -> Self:
        if any(b[0] - a[0] < 1e-4 for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("the curve's points must go from left to right")
        return self


class InvertShaper(_Step):
    """Turns what is under it round."""

    kind: Literal["invert"] = "invert"


class BlurShaper(_Step):
    """Blurs along the surface, across seams; `radius` is the blur's standard deviation, a share of the diagonal."""

    kind: Literal["blur"] = "blur"
    radius: Annotated[Length, Field(le=0.1)] = 0.005


class StepsShaper(_Step):
    """So many even steps; softness rounds their edges."""

    kind: Literal["steps"] = "steps"
    count: Annotated[int, Field(ge=2, le=64)] = 4
    softness: Share = 0.0


class ContrastShaper(_Step):
    """Steeper or flatter about the balance."""

    kind: Literal["contrast"] = "contrast"
    contrast: Signed = 0.4
    balance: Share = 0.5


class GrowShaper(_Step):
    """Grows what is bright along the surface by a share of the diagonal, or shrinks it below 0."""

    kind: Literal["grow"] = "grow"
    amount: Annotated[float, Field(ge=-0.02, le=0.02, allow_inf_nan=False)] = 0.002


Source = (
    PaintedSource
    | FacesSource
    | IdColourSource
    | CurvatureSource
    | OcclusionSource
    | ThicknessSource
    | PositionSource
    | GradientSource
    | FacingSource
    | NoiseSource
    | SpotsSource
    | ImageSource
    | LayerSource
    | ColourRangeSource
)
Shaper = LevelsShaper | CurveShaper | InvertShaper | BlurShaper | StepsShaper | ContrastShaper | GrowShaper
#: Shapers that read neighbours.
SPREADING = (BlurShaper, GrowShaper)
MaskStep = Annotated[Source | Shaper, Field(discriminator="kind")]


class Mask(Frozen):
    """Sources and shapers from bottom to top; `invert` turns the result round."""

    on: bool = True
    invert: bool = False
    sources: Annotated[tuple[MaskStep, ...], Field(max_length=MAX_STEPS)] = ()

    @model_validator(mode="after")
    def _own_ids(self) -> Self:
        if len({s.id for s in self.sources}) != len(self.sources):
            raise ValueError("two steps of the mask have one id")
        return self
