"""Controls of kinds as the interface lays them out. Their ranges are the models' own or narrower; first values are the models' defaults."""

from __future__ import annotations

from typing import Literal

from ruvelt.core.stack.basics import Frozen

Group = Literal["hand", "surface", "pattern", "other", "shaper", "content", "adjust"]


class Control(Frozen):
    """One control. share : 0–1 as a percentage; length : share of the model's diagonal, on a logarithmic scale; range : the two ends
    `low` and `high` of a model, within its limits; `log`: on a logarithmic scale. The other kinds have an editor of their own in the interface."""

    id: str
    name: str
    hint: str
    kind: Literal[
        "share",
        "signed",
        "length",
        "count",
        "seed",
        "choice",
        "switch",
        "range",
        "direction",
        "stretch",
        "curve",
        "ends",
        "picks",
        "colours",
        "layer",
        "image",
        "projection",
        "degrees",
        "gamma",
        "ramp",
        "pattern",
        "pair",
        "colour",
        "rgb",
        "each",
        "stops",
        "measured",
        "factor",
    ]
    low: float = 0
    high: float = 1
    choices: tuple[str, ...] = ()
    log: bool = False


class Kind(Frozen):
    """A kind of mask step, content or adjustment; `needs`: the mesh map it reads; `group`: where a menu lists it; `waits`: what
    to do where it says nothing yet."""

    id: str
    name: str
    hint: str
    group: Group
    controls: tuple[Control, ...] = ()
    needs: str | None = None
    waits: str = ""


class AdjustKind(Kind):
    """A kind of adjustment. colours : it changes colours, and may have ranges of them; counts : a histogram helps to set it; reaches : it can be
    kept to one layer, or see through its group"""

    colours: bool
    counts: bool
    reaches: bool


def share(control: str, name: str, hint: str, low: float = 0, high: float = 1) -> Control:
    return Control(id=control, name=name, hint=hint, kind="share", low=low, high=high)


def signed(control: str, name: str, hint: str, low: float = -1, high: float = 1) -> Control:
    return Control(id=control, name=name, hint=hint, kind="signed", low=low, high=high)


def count(control: str, name: str, hint: str, low: float, high: float) -> Control:
    return Control(id=control, name=name, hint=hint, kind="count", low=low, high=high)


def length(control: str, name: str, hint: str, low: float, high: float) -> Control:
    return Control(id=control, name=name, hint=hint, kind="length", low=low, high=high)


def choice(control: str, name: str, hint: str, *choices: str) -> Control:
    return Control(id=control, name=name, hint=hint, kind="choice", choices=choices)


def value_range(hint: str, low: float = 0) -> Control:
    return Control(id="range", name="Range", hint=hint, kind="range", low=low, high=1)


def direction(name: str, hint: str) -> Control:
    return Control(id="along", name=name, hint=hint, kind="direction")


SOFT = share("softness", "Softness", "From a straight ramp to a smooth step")
SEED = Control(id="seed", name="Seed", hint="Another draw of the same pattern", kind="seed", low=0, high=9999)
IMAGE = Control(id="image", name="Picture", hint="A picture of the project", kind="image")
PROJECTION = Control(id="projection", name="Projection", hint="How the picture lies on the surface", kind="projection")
BLUR_RADIUS = length("radius", "Radius", "How far it spreads, along the surface and across seams", 0.0005, 0.1)
CURVE = (Control(id="points", name="Curve", hint="Drag points; press to add one, twice to take it away", kind="curve"),)
LEVELS = (
    Control(id="in", name="Input", hint="What becomes black and what white", kind="pair"),
    Control(id="gamma", name="Mid-tones", hint="Above 1 brightens the middle, below 1 darkens it", kind="gamma", low=0.1, high=10),
    Control(id="out", name="Output", hint="The darkest and the brightest there will be", kind="pair"),
)
NOISE = (
    choice("basis", "Noise", "The kind of noise", "gradient", "value", "cellular", "ridged"),
    length("size", "Size", "Size of the largest features", 0.002, 1),
    count("octaves", "Octaves", "How many times finer detail is added", 1, 8),
    share("roughness", "Roughness", "How strong the finer detail is"),
    signed("contrast", "Contrast", "Soft clouds below, hard patches above"),
    share("balance", "Balance", "How much of it is bright"),
    Control(id="stretch", name="Stretch", hint="Longer along an axis: streaks and grain", kind="stretch", low=0.1, high=20),
    SEED,
)
SPOTS = (
    length("size", "Size", "Size of the largest spots", 0.002, 0.3),
    share("cover", "Cover", "How many there are"),
    share("variation", "Variation", "How much smaller some are"),
    share("hardness", "Hardness", "How sharp their edges are"),
    SEED,
)
#: Patterns that a fill's content may show.
PATTERNS: tuple[Kind, ...] = (
    Kind(id="noise", name="Noise", hint="Clouds, cells and ridges", group="pattern", controls=NOISE),
    Kind(id="spots", name="Spots", hint="Round spots", group="pattern", controls=SPOTS),
    Kind(
        id="weave",
        name="Stripes and checks",
        hint="Regular patterns",
        group="pattern",
        controls=(
            choice("form", "Form", "What repeats", "stripes", "checks", "rings"),
            length("size", "Size", "From one repeat to the next", 0.002, 1),
            direction("Direction", "Across the stripes"),
            share("share", "Share", "How much of a repeat is bright"),
            share("softness", "Softness", "How soft its edges are"),
        ),
    ),
)
