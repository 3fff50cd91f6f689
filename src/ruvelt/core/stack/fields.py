"""Patterns in object space and pictures on the surface: what masks and fills share.

Lengths are shares of the model's diagonal, so that a mask keeps its look on a model of another size.
"""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import AliasChoices, Field, model_validator

from ruvelt.core.stack.basics import Frozen, Id, Number, Share, Vector

Seed = Annotated[int, Field(ge=0, le=2**31 - 1)]
Size = Annotated[float, Field(ge=0.0005, le=4, allow_inf_nan=False)]
Stretch = tuple[Annotated[float, Field(ge=0.02, le=50, allow_inf_nan=False)], ...]
Contrast = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class CurvePoints(Frozen):
    """Points of a curve, left to right: old values and new ones."""

    points: Annotated[tuple[tuple[Share, Share], ...], Field(min_length=2, max_length=16)] = ((0.0, 0.0), (0.5, 0.5), (1.0, 1.0))

    @model_validator(mode="after")
    def _rising(self) -> Self:
        if any(b[0] - a[0] < 1e-4 for a, b in zip(self.points, self.points[1:], strict=False)):
            raise ValueError("the curve's points must go from left to right")
        return self


class Levels(Frozen):
    """Stretches in_low … in_high to out_low … out_high, mid-tones by gamma."""

    in_low: Share = 0.0
    in_high: Share = 1.0
    gamma: Annotated[float, Field(ge=0.1, le=10, allow_inf_nan=False)] = 1.0
    out_low: Share = 0.0
    out_high: Share = 1.0

    @model_validator(mode="after")
    def _upright(self) -> Self:
        if self.in_low > self.in_high:
            raise ValueError("the levels' low input lies above the high one; exchange them")
        return self


class Noise(Frozen):
    """Noise of one kind, or `octaves` of it, each at half the size and `roughness` of the strength of the one before.

    size : of its largest features; stretch : how much longer they are along x, y and z; balance : the share of it that is bright
    """

    basis: Literal["gradient", "value", "cellular", "ridged"] = "gradient"
    octaves: Annotated[int, Field(ge=1, le=8)] = 4
    roughness: Share = 0.5
    size: Size = 0.05
    stretch: Annotated[Stretch, Field(min_length=3, max_length=3)] = (1.0, 1.0, 1.0)
    contrast: Contrast = 0.35
    balance: Share = 0.5
    seed: Seed = 1


class Spots(Frozen):
    """Round spots strewn at random. size : of the largest; cover : share of places that hold one; variation : of their sizes."""

    size: Size = 0.02
    cover: Share = 0.5
    variation: Share = 0.6
    hardness: Share = 0.6
    seed: Seed = 1


class Weave(Frozen):
    """Regular patterns. size : from one repeat to the next; along : the direction they run across; share : of a repeat that is bright."""

    form: Literal["stripes", "checks", "rings"] = "stripes"
    size: Size = 0.05
    along: Vector = (0.0, 1.0, 0.0)
    share: Share = 0.5
    softness: Share = 0.1


class Projection(Frozen):
    """How a picture lies on the surface.

    uv : along the layout, `size` sheets a repeat; three-way : along the three axes, blended where the surface turns; planar : along one
    direction from `centre`. size : of one repeat; turn : degrees; shift : shares of a repeat; sharpness : of the blending, 1 … 32
    """

    #: Called `way` in documents of before 0.2.
    mode: Annotated[Literal["uv", "three-way", "planar"], Field(validation_alias=AliasChoices("mode", "way"))] = "three-way"
    size: Annotated[float, Field(ge=0.001, le=100, allow_inf_nan=False)] = 0.3
    turn: Annotated[float, Field(ge=-360, le=360, allow_inf_nan=False)] = 0.0
    shift: tuple[Number, Number] = (0.0, 0.0)
    repeat: bool = True
    sharpness: Annotated[float, Field(ge=1, le=32, allow_inf_nan=False)] = 6.0
    centre: Vector = (0.0, 0.0, 0.0)
    facing: Vector = (0.0, 0.0, 1.0)
    #: A planar picture reaches surfaces that look away from it too.
    through: bool = False


class Picture(Frozen):
    """A picture of the project on the surface; without an image it says nothing."""

    image: Id | None = None
    projection: Projection = Projection()


class ColourStop(Frozen):
    """A value of the channel at a place 0–1 of a ramp."""

    at: Share
    value: Annotated[tuple[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)], ...], Field(min_length=1, max_length=3)]
