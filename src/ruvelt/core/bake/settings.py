"""What a bake is asked to do. Ranges are the ones the interface offers; the server tells them to the client."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ruvelt.core.bake.pairs import PartPair
from ruvelt.core.stack.basics import Frozen

Reach = Annotated[float, Field(ge=0.0005, le=1, allow_inf_nan=False)]
Component = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class BakeParameter(Frozen):
    """One control as the interface lays it out; `maps`: ids of the maps it changes, none for all that measure the high mesh."""

    id: str
    name: str
    hint: str
    kind: Literal["share", "part", "length", "count", "switch", "choice", "direction"]
    low: float = 0
    high: float = 1
    choices: tuple[str, ...] = ()


_HIGH = "lid_low is measured against lid_high only"
_BITANGENTS = "For the normal map: worked out for each pixel (glTF, and the view here), or interpolated between vertices, as some engines do"
_CAGE = "Which way rays leave: straight but closed at hard edges, averaged everywhere, split at hard edges, or towards a cage mesh"
_SHADING = "What shades and what is measured through: everything, the part itself, or the parts its low part is matched with"
_GRAIN = "Evens out the grain of few rays along the surface, never over an edge or a contact; 0 leaves it"
_IDS = ("part", "material", "group", "colour", "island")


def _share(name: str, title: str, hint: str, low: float, high: float) -> BakeParameter:
    return BakeParameter(id=name, name=title, hint=hint, kind="share", low=low, high=high)


#: The controls of the Bake screen, in order.
PARAMETERS: tuple[BakeParameter, ...] = (
    _share("front", "Search in front", "How far outside the model the high mesh is looked for", 0.001, 0.2),
    _share("back", "Search behind", "How far inside the model the high mesh is looked for", 0.001, 0.2),
    BakeParameter(id="cage", name="Cage", hint=_CAGE, kind="choice", choices=("blended", "averaged", "split", "file")),
    BakeParameter(
        id="cage_blend",
        name="Blend over",
        hint="How far from hard edges rays turn straight: curves and bolts near edges stay true",
        kind="length",
        low=0.001,
        high=0.25,
    ),
    BakeParameter(id="match_parts", name="Match parts by name", hint=_HIGH, kind="switch"),
    BakeParameter(id="ignore_back", name="Ignore back faces", hint="High faces seen from behind do not count", kind="switch"),
    BakeParameter(
        id="antialias", name="Antialiasing", hint="Texels are measured on a grid of so many places a side", kind="choice", choices=("1", "2", "4")
    ),
    BakeParameter(
        id="rays", name="Rays per texel", hint="For occlusion, bent normal, thickness: more rays, less noise", kind="count", low=4, high=1024
    ),
    BakeParameter(id="grain", name="Grain filter", hint=_GRAIN, kind="part"),
    BakeParameter(id="shading", name="Shaded by", hint=_SHADING, kind="choice", choices=("everything", "matched", "own")),
    BakeParameter(id="bitangents", name="Bitangents", hint=_BITANGENTS, kind="choice", choices=("pixel", "vertex")),
    _share("occlusion_reach", "Occlusion reach", "What lies further off does not shade; it fades from half of it on. Full for no limit", 0.005, 1),
    _share("curvature_radius", "Curvature radius", "Size of the forms that curvature tells", 0.001, 0.1),
    _share("thickness_reach", "Thickness reach", "Thickness that is white", 0.005, 1),
    BakeParameter(id="id_by", name="Id colour by", hint="What gets a colour of its own", kind="choice", choices=_IDS),
    BakeParameter(id="facing", name="Facing", hint="The direction that is white", kind="direction"),
)


class BakeSettings(Frozen):
    """Settings of a bake. Distances are shares of the model's diagonal.

    front, back : how far outside and inside the model the high mesh is searched for
    cage : which way rays leave (see `cage.Cage`); cage_blend : how far from hard edges a blended cage is split
    match_parts : measure each part only against the high parts of its name; pairs : what the artist says otherwise
    ignore_back : high faces seen from behind do not count; shading : what shades a place and is measured through
    grain : how far the grain of few rays is evened out, 0 not at all
    rays : rays per texel for occlusion, bent normal and thickness; antialias : texels are measured on a grid of this many places a side
    occlusion_reach : what lies further off does not shade, 1 for no limit; curvature_radius : size of the forms that curvature tells
    bitangents : what shows the normal map works bitangents out for each pixel, or interpolates those of the vertices
    thickness_reach : thickness that is white; facing : the direction that is white; id_by : what gets a colour of its own
    """

    front: Reach = 0.02
    back: Reach = 0.02
    cage: Literal["blended", "averaged", "split", "file"] = "blended"
    cage_blend: Reach = 0.02
    match_parts: bool = True
    pairs: Annotated[tuple[PartPair, ...], Field(max_length=2000)] = ()
    ignore_back: bool = True
    rays: Annotated[int, Field(ge=1, le=4096)] = 64
    grain: Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)] = 0.5
    shading: Literal["everything", "matched", "own"] = "everything"
    antialias: Literal[1, 2, 4] = 1
    occlusion_reach: Reach = 0.4
    curvature_radius: Annotated[float, Field(ge=0.0005, le=0.25, allow_inf_nan=False)] = 0.01
    thickness_reach: Reach = 0.1
    facing: tuple[Component, Component, Component] = (0.0, 1.0, 0.0)
    id_by: Literal["part", "material", "group", "colour", "island"] = "part"
    bitangents: Literal["pixel", "vertex"] = "pixel"
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0

    @model_validator(mode="after")
    def _usable(self) -> BakeSettings:
        if sum(c * c for c in self.facing) < 1e-6:
            raise ValueError("the facing direction needs a length; choose an axis")
        return self
