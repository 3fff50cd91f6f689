"""What a brush is. Ranges are the ones the interface offers; the server tells them to the client."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from numpy.typing import NDArray
from pydantic import AliasChoices, Field

from ruvelt.core.stack.basics import Frozen, Share

Number = Annotated[float, Field(allow_inf_nan=False)]


class PressureCurve(Frozen):
    """Factor on a setting by pen pressure p (0–1): low + (1 − low) · p^gamma, or 1 when off."""

    on: bool = False
    low: Share = 0.1
    gamma: Annotated[float, Field(ge=0.2, le=5, allow_inf_nan=False)] = 1.0

    def at(self, pressure: float) -> float:
        return self.low + (1 - self.low) * pressure**self.gamma if self.on else 1.0


class Mirror(Frozen):
    """Planes through the object's origin across which every dab is repeated, then `around` an axis through it so many times in all."""

    x: bool = False
    y: bool = False
    z: bool = False
    around: Annotated[int, Field(ge=1, le=64)] = 1
    axis: Literal["x", "y", "z"] = "y"

    def turns(self) -> list[NDArray[np.float64]]:
        """(3, 3) turns of a full circle about the axis, but the first, which is none."""
        k = "xyz".index(self.axis)
        p, q = (k + 1) % 3, (k + 2) % 3
        found = []
        for i in range(1, self.around):
            cos, sin = np.cos(2 * np.pi * i / self.around), np.sin(2 * np.pi * i / self.around)
            turn = np.eye(3)
            turn[p, p], turn[p, q], turn[q, p], turn[q, q] = cos, -sin, sin, cos
            found.append(turn)
        return found


TIP = r"^([a-z][a-z0-9-]{0,30}|image:[a-z0-9][a-z0-9_-]{0,39})$"
TipId = Annotated[str, Field(pattern=TIP)]


class Grain(Frozen):
    """A texture inside the tip. `picture`: one of `tips.GRAINS`, or "image:KEY" of the project; none without.

    size : of one repeat, share of the model's diagonal; depth : how much of the paint it can hold back
    fixed : "surface" lies still on the model, so that strokes meet in it; "stroke" travels with the brush
    """

    picture: TipId | None = None
    size: Annotated[float, Field(ge=0.001, le=1, allow_inf_nan=False)] = 0.05
    depth: Share = 0.8
    fixed: Literal["surface", "stroke"] = "surface"


class Mixing(Frozen):
    """How the two colours of a stroke come together.

    along : from the first to the second and back over `length` diameters; across : from one side of the stroke to the other;
    random : each dab takes its own share
    """

    #: Called `way` in scripts of before 0.2.
    mode: Annotated[Literal["none", "along", "across", "random"], Field(validation_alias=AliasChoices("mode", "way"))] = "none"
    length: Annotated[float, Field(gt=0, le=1000, allow_inf_nan=False)] = 6.0


#: Spacing of a new brush, diameters: over it one dab lays the brush's flow.
START_SPACING = 0.12
#: Up to this spacing dabs flow into one stroke.
CLOSE = 0.3


class Brush(Frozen):
    """Brush settings.

    size : diameter; pixels of the view when `size_unit` is "view", else a share of the model's longest side
    strength : most a stroke can reach; flow : share laid over an eighth of the diameter; hardness : inner share of the radius at full weight
    spacing : distance between dabs as a share of the diameter; steadying : length of the leash the tip trails on, share of 80 pixels
    angle : degrees, roundness : short over long axis of the tip; jitters : largest random change (place: diameters, size: share,
    angle: half turns, strength: share; hue: half turns of the wheel, saturation and value: share, of colour channels)
    facing : only surface that looks the dab's way takes paint, up to `facing_deg` from it; back : the side that looks away from it instead
    depth : how far above and below the dab's plane it reaches, share of the radius; 0 is no limit

    tips : pictures the dab takes its shape from, `tips.TIPS` or "image:KEY" of the project; of several each dab takes one at random
    flip : mirrors the tip never, on every other dab, or at random; follow : the tip turns with the stroke
    build : "flow" builds up to the strength; "past" goes on beyond it; "level" lays each dab at its own height, however many overlap
    spray : dabs laid at each stop, scattered by `jitter_place`
    """

    size: Annotated[float, Field(gt=0, le=4000, allow_inf_nan=False)] = 40.0
    size_unit: Literal["view", "object"] = "view"
    strength: Share = 1.0
    flow: Annotated[float, Field(gt=0, le=1, allow_inf_nan=False)] = 0.6
    hardness: Share = 0.5
    spacing: Annotated[float, Field(ge=0.02, le=4, allow_inf_nan=False)] = START_SPACING
    steadying: Share = 0.0
    angle: Annotated[float, Field(ge=-180, le=180, allow_inf_nan=False)] = 0.0
    roundness: Annotated[float, Field(ge=0.05, le=1, allow_inf_nan=False)] = 1.0
    jitter_place: Annotated[float, Field(ge=0, le=5, allow_inf_nan=False)] = 0.0
    jitter_size: Share = 0.0
    jitter_angle: Share = 0.0
    jitter_strength: Share = 0.0
    pressure_size: PressureCurve = PressureCurve(on=True)
    pressure_flow: PressureCurve = PressureCurve()
    pressure_strength: PressureCurve = PressureCurve()
    jitter_hue: Share = 0.0
    jitter_saturation: Share = 0.0
    jitter_value: Share = 0.0
    facing: bool = True
    facing_deg: Annotated[float, Field(ge=5, le=180, allow_inf_nan=False)] = 90.0
    back: bool = False
    depth: Share = 0.0
    tips: Annotated[tuple[TipId, ...], Field(max_length=12)] = ()
    flip: Literal["none", "alternate", "random"] = "none"
    follow: bool = False
    build: Literal["flow", "past", "level"] = "flow"
    spray: Annotated[int, Field(ge=1, le=40)] = 1
    grain: Grain = Grain()
    mix: Mixing = Mixing()
    mirror: Mirror = Mirror()
    seed: Annotated[int, Field(ge=0, le=2**31)] = 1

    @property
    def swept(self) -> bool:
        """Whether a stroke is laid without gaps, by the length that the tip goes over each place; else it is dabs."""
        chance = self.jitter_place + self.jitter_size + self.jitter_angle + self.jitter_strength
        alike = chance == 0 and not self.colours_turn and self.mix.mode != "random" and len(self.tips) <= 1 and self.flip == "none"
        return alike and self.build != "level" and self.spray == 1 and self.spacing <= CLOSE

    def spaced(self, most: float) -> Brush:
        """The same brush with dabs no further apart, which lay as much over a length."""
        return self if self.spacing <= most else self.model_copy(update={"spacing": most})

    @property
    def dab_flow(self) -> float:
        """What one dab lays at full pressure: as much over a length whatever the spacing; the flow itself where dabs stand apart or are scattered."""
        if self.spray > 1 or self.jitter_place > 0:
            return self.flow
        many = float(np.interp(self.spacing, (0, CLOSE, 1), (0, CLOSE / START_SPACING, 1)))
        found: float = 1.0 - (1.0 - self.flow) ** many
        return found

    @property
    def colours_vary(self) -> bool:
        """Whether dabs of one stroke differ in colour."""
        return self.mix.mode != "none" or self.colours_turn

    @property
    def colours_turn(self) -> bool:
        """Whether they differ by more than mixing."""
        return self.jitter_hue + self.jitter_saturation + self.jitter_value > 0

    @property
    def rich(self) -> bool:
        """Whether a dab is more than a round one that builds up: then it is laid sample by sample."""
        limits = self.facing_deg != 90 or self.back or self.depth > 0
        return bool(self.tips) or self.build != "flow" or self.colours_vary or self.grain.picture is not None or limits


class BrushParameter(Frozen):
    """One slider as the interface lays it out."""

    id: str
    name: str
    low: float
    high: float
    step: float
    unit: Literal["px", "percent", "number", "degrees", "count"]
    hint: str
    scale: Literal["linear", "log"] = "linear"
    section: Literal["stroke", "scatter", "colour", "limits"] = "stroke"


#: The sliders, in the order of the Brush card.
PARAMETERS: tuple[BrushParameter, ...] = (
    BrushParameter(id="size", name="Size", low=0.5, high=2000, step=0.5, unit="px", scale="log", hint="Diameter of the brush in the view"),
    BrushParameter(id="strength", name="Strength", low=0, high=1, step=0.01, unit="percent", hint="Most that one stroke can reach"),
    BrushParameter(id="flow", name="Flow", low=0.01, high=1, step=0.01, unit="percent", hint="How fast a stroke builds up to its strength"),
    BrushParameter(id="hardness", name="Hardness", low=0, high=1, step=0.01, unit="number", hint="Inner part of the brush at full weight"),
    BrushParameter(
        id="spacing",
        name="Spacing",
        low=0.02,
        high=2,
        step=0.01,
        unit="percent",
        hint="Distance between dabs, in diameters; no gaps up to 30 %",
    ),
    BrushParameter(id="steadying", name="Steadying", low=0, high=1, step=0.01, unit="percent", hint="The brush trails the hand on a leash"),
    BrushParameter(id="angle", name="Angle", low=-180, high=180, step=1, unit="degrees", hint="Turn of the tip; shows when it is not round"),
    BrushParameter(id="roundness", name="Roundness", low=0.05, high=1, step=0.01, unit="percent", hint="Short over long side of the tip"),
    BrushParameter(
        id="jitter_place",
        name="Scatter",
        low=0,
        high=5,
        step=0.01,
        unit="percent",
        hint="Dabs land beside the path, up to five diameters",
        section="scatter",
    ),
    BrushParameter(id="jitter_size", name="Size jitter", low=0, high=1, step=0.01, unit="percent", hint="Dabs shrink at random", section="scatter"),
    BrushParameter(id="jitter_angle", name="Angle jitter", low=0, high=1, step=0.01, unit="percent", hint="Dabs turn at random", section="scatter"),
    BrushParameter(
        id="jitter_strength", name="Strength jitter", low=0, high=1, step=0.01, unit="percent", hint="Dabs weaken at random", section="scatter"
    ),
    BrushParameter(
        id="spray", name="Spray", low=1, high=40, step=1, unit="count", hint="Dabs at each stop; scatter them to spray", section="scatter"
    ),
    BrushParameter(
        id="jitter_hue", name="Hue jitter", low=0, high=1, step=0.01, unit="percent", hint="Hues differ from dab to dab", section="colour"
    ),
    BrushParameter(
        id="jitter_saturation",
        name="Saturation jitter",
        low=0,
        high=1,
        step=0.01,
        unit="percent",
        hint="Saturation differs from dab to dab",
        section="colour",
    ),
    BrushParameter(
        id="jitter_value", name="Value jitter", low=0, high=1, step=0.01, unit="percent", hint="Lightness differs from dab to dab", section="colour"
    ),
    BrushParameter(
        id="facing_deg",
        name="Facing up to",
        low=5,
        high=180,
        step=1,
        unit="degrees",
        hint="Surface turned further from the brush takes no paint",
        section="limits",
    ),
    BrushParameter(
        id="depth",
        name="Depth",
        low=0,
        high=1,
        step=0.01,
        unit="percent",
        hint="How far in front of and behind its plane a dab reaches; 0 is no limit",
        section="limits",
    ),
)
