"""What the interface lays out for layers and masks: every source, shaper, content and adjustment with its controls, in order.

The controls' ranges are the models' own or narrower; first values are the models' defaults.
"""

from __future__ import annotations

from typing import Literal

from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.mask_evaluate import NEEDS


class Control(Frozen):
    """One control. share : 0–1 as a percentage; length : share of the model's diagonal, on a logarithmic scale; range : the two ends
    `low` and `high` of a model, within its limits; the other kinds have an editor of their own in the interface."""

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
    ]
    low: float = 0
    high: float = 1
    choices: tuple[str, ...] = ()


class Kind(Frozen):
    """A kind of mask step, content or adjustment; `needs`: the mesh map it reads; `group`: where a menu lists it."""

    id: str
    name: str
    hint: str
    group: Literal["hand", "surface", "pattern", "other", "shaper", "content", "adjust"]
    controls: tuple[Control, ...] = ()
    needs: str | None = None


def _share(control: str, name: str, hint: str, low: float = 0, high: float = 1) -> Control:
    return Control(id=control, name=name, hint=hint, kind="share", low=low, high=high)


def _length(control: str, name: str, hint: str, low: float, high: float) -> Control:
    return Control(id=control, name=name, hint=hint, kind="length", low=low, high=high)


def _choice(control: str, name: str, hint: str, *choices: str) -> Control:
    return Control(id=control, name=name, hint=hint, kind="choice", choices=choices)


def _range(hint: str, low: float = 0) -> Control:
    return Control(id="range", name="Range", hint=hint, kind="range", low=low, high=1)


def _direction(name: str, hint: str) -> Control:
    return Control(id="along", name=name, hint=hint, kind="direction")


_SOFT = _share("softness", "Softness", "From a straight ramp to a smooth step")
_SEED = Control(id="seed", name="Seed", hint="Another draw of the same pattern", kind="seed", low=0, high=9999)
_NOISE = (
    _choice("basis", "Noise", "The kind of noise", "gradient", "value", "cellular", "ridged"),
    _length("size", "Size", "Size of the largest features", 0.002, 1),
    Control(id="octaves", name="Octaves", hint="How many times finer detail is added", kind="count", low=1, high=8),
    _share("roughness", "Roughness", "How strong the finer detail is"),
    Control(id="contrast", name="Contrast", hint="Soft clouds below, hard patches above", kind="signed", low=-1, high=1),
    _share("balance", "Balance", "How much of it is bright"),
    Control(id="stretch", name="Stretch", hint="Longer along an axis: streaks and grain", kind="stretch", low=0.1, high=20),
    _SEED,
)
_SPOTS = (
    _length("size", "Size", "Size of the largest spots", 0.002, 0.3),
    _share("cover", "Cover", "How many there are"),
    _share("variation", "Variation", "How much smaller some are"),
    _share("hardness", "Hardness", "How sharp their edges are"),
    _SEED,
)
_LEVELS = (
    Control(id="in", name="Input", hint="What becomes black and what white", kind="pair"),
    Control(id="gamma", name="Mid-tones", hint="Above 1 brightens the middle, below 1 darkens it", kind="gamma", low=0.1, high=10),
    Control(id="out", name="Output", hint="The darkest and the brightest there will be", kind="pair"),
)
_RADIUS = _length("radius", "Radius", "How far it spreads, along the surface and across seams", 0.0005, 0.1)
_PROJECTION = Control(id="projection", name="Projection", hint="How the picture lies on the surface", kind="projection")

SOURCES: tuple[Kind, ...] = (
    Kind(
        id="painted",
        name="Painted",
        hint="A mask you paint by hand",
        group="hand",
        controls=(_share("base", "Start", "Value where no stroke has been"),),
    ),
    Kind(
        id="faces",
        name="Faces",
        hint="Parts, materials, face groups, islands or faces you point at",
        group="hand",
        controls=(Control(id="picks", name="Picks", hint="What is revealed", kind="picks"),),
    ),
    Kind(
        id="id_colour",
        name="Id colour",
        hint="Places with an id colour you pick on the model",
        group="hand",
        controls=(
            Control(id="colours", name="Colours", hint="Id colours that count", kind="colours"),
            _share("tolerance", "Tolerance", "How different a colour may be", 0, 0.3),
        ),
    ),
    Kind(
        id="curvature",
        name="Curvature",
        hint="Edges, recesses or both",
        group="surface",
        controls=(
            _choice("which", "Which", "Where the surface bends out, in, or either", "edges", "recesses", "both"),
            _range("How sharp a bend must be"),
            _SOFT,
            _length("radius", "Widen", "Spreads what counts as an edge", 0.0, 0.05),
        ),
    ),
    Kind(id="occlusion", name="Occlusion", hint="Where little light comes", group="surface", controls=(_range("How hidden a place must be"), _SOFT)),
    Kind(
        id="thickness",
        name="Thickness",
        hint="Thick places; invert it for thin ones",
        group="surface",
        controls=(_range("How thick a place must be"), _SOFT),
    ),
    Kind(
        id="position",
        name="Position",
        hint="Rises along a direction, over the whole model",
        group="surface",
        controls=(_direction("Direction", "Where it rises to"), _range("Where it begins and ends"), _SOFT),
    ),
    Kind(
        id="gradient",
        name="Gradient line",
        hint="Between two handles on the model",
        group="surface",
        controls=(
            Control(id="ends", name="Handles", hint="Drag them on the model", kind="ends"),
            _choice("form", "Form", "Along the line, or outwards as a ball", "line", "ball"),
            _SOFT,
        ),
    ),
    Kind(
        id="facing",
        name="Facing",
        hint="Surfaces that look along a direction, or to the light",
        group="surface",
        controls=(_direction("Direction", "Where they look"), _range("How straight they must look there", -1), _SOFT),
    ),
    Kind(id="noise", name="Noise", hint="Clouds, cells and ridges in space: no seam shows", group="pattern", controls=_NOISE),
    Kind(id="spots", name="Spots", hint="Round spots strewn at random", group="pattern", controls=_SPOTS),
    Kind(
        id="image",
        name="Picture",
        hint="How bright a picture is",
        group="pattern",
        controls=(
            Control(id="image", name="Picture", hint="A picture of the project", kind="image"),
            _choice("reads", "Reads", "Its lightness or its alpha", "lightness", "alpha"),
            _PROJECTION,
        ),
    ),
    Kind(
        id="layer",
        name="Another layer",
        hint="Another layer's mask, or what it holds in a channel",
        group="other",
        controls=(
            Control(id="layer", name="Layer", hint="The layer that is read", kind="layer"),
            _choice("measure", "Measure", "Where it holds paint, or how bright that is", "coverage", "value"),
        ),
    ),
    Kind(
        id="colour_range",
        name="Colour range",
        hint="Where what lies beneath has a colour",
        group="other",
        controls=(
            Control(id="colours", name="Colours", hint="Colours that count", kind="colours"),
            _share("tolerance", "Tolerance", "How different a colour may be", 0, 0.5),
            _share("softness", "Softness", "How far it fades out", 0, 0.5),
        ),
    ),
)

SHAPERS: tuple[Kind, ...] = (
    Kind(id="levels", name="Levels", hint="Black, white and mid-tones", group="shaper", controls=_LEVELS),
    Kind(
        id="curve",
        name="Curve",
        hint="A curve from old values to new ones",
        group="shaper",
        controls=(Control(id="points", name="Curve", hint="Drag points; press to add one, twice to take it away", kind="curve"),),
    ),
    Kind(id="invert", name="Invert", hint="Turns what is under it round", group="shaper"),
    Kind(id="blur", name="Blur", hint="Softens along the surface, across seams", group="shaper", controls=(_RADIUS,)),
    Kind(
        id="steps",
        name="Steps",
        hint="A few even steps",
        group="shaper",
        controls=(
            Control(id="count", name="Steps", hint="How many", kind="count", low=2, high=24),
            _share("softness", "Softness", "Rounds their edges"),
        ),
    ),
    Kind(
        id="contrast",
        name="Contrast",
        hint="Steeper or flatter",
        group="shaper",
        controls=(
            Control(id="contrast", name="Contrast", hint="Steeper above 0, flatter below", kind="signed", low=-1, high=1),
            _share("balance", "Balance", "The value that becomes middle grey"),
        ),
    ),
    Kind(
        id="grow",
        name="Grow",
        hint="Bright places reach further, or less far",
        group="shaper",
        controls=(Control(id="amount", name="Amount", hint="Above 0 grows, below 0 shrinks", kind="signed", low=-0.02, high=0.02),),
    ),
)

CONTENTS: tuple[Kind, ...] = (
    Kind(id="value", name="Value", hint="One value all over", group="content"),
    Kind(
        id="image",
        name="Picture",
        hint="A picture on the surface",
        group="content",
        controls=(Control(id="image", name="Picture", hint="A picture of the project", kind="image"), _PROJECTION),
    ),
    Kind(
        id="pattern",
        name="Pattern",
        hint="A pattern through a ramp of values",
        group="content",
        controls=(
            Control(id="pattern", name="Pattern", hint="What is drawn", kind="pattern"),
            Control(id="ramp", name="Ramp", hint="From the pattern's dark to its bright", kind="ramp"),
        ),
    ),
    Kind(
        id="blend",
        name="Two values",
        hint="Two values, mixed by noise",
        group="content",
        controls=(
            Control(id="values", name="Values", hint="The two values", kind="ramp"),
            Control(id="noise", name="Noise", hint="Where which one is", kind="pattern"),
        ),
    ),
)

#: Controls of the patterns that a fill's content may show.
PATTERNS: tuple[Kind, ...] = (
    Kind(id="noise", name="Noise", hint="Clouds, cells and ridges", group="pattern", controls=_NOISE),
    Kind(id="spots", name="Spots", hint="Round spots", group="pattern", controls=_SPOTS),
    Kind(
        id="weave",
        name="Stripes and checks",
        hint="Regular patterns",
        group="pattern",
        controls=(
            _choice("form", "Form", "What repeats", "stripes", "checks", "rings"),
            _length("size", "Size", "From one repeat to the next", 0.002, 1),
            _direction("Direction", "Across the stripes"),
            _share("share", "Share", "How much of a repeat is bright"),
            _share("softness", "Softness", "How soft its edges are"),
        ),
    ),
)

ADJUSTMENTS: tuple[Kind, ...] = (
    Kind(id="levels", name="Levels", hint="Black, white and mid-tones of what lies beneath", group="adjust", controls=_LEVELS),
    Kind(
        id="hsv",
        name="Hue, saturation, value",
        hint="Turns hues, strengthens or weakens colour and brightness",
        group="adjust",
        controls=(
            Control(id="hue", name="Hue", hint="Turns all hues", kind="degrees", low=-180, high=180),
            Control(id="saturation", name="Saturation", hint="Towards grey, or up to twice as strong", kind="signed", low=-1, high=1),
            Control(id="value", name="Value", hint="Towards black, or brighter", kind="signed", low=-1, high=1),
        ),
    ),
    Kind(id="blur", name="Blur", hint="Softens what lies beneath, along the surface", group="adjust", controls=(_RADIUS,)),
)


def with_needs(kinds: tuple[Kind, ...]) -> tuple[Kind, ...]:
    """Mask sources with the mesh map each reads."""
    return tuple(k.model_copy(update={"needs": NEEDS.get(k.id)}) for k in kinds)
