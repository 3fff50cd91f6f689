"""What a bake is asked to do. Ranges are the ones the interface offers; the server tells them to the client."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field, model_validator

from ruvelt.core.stack.document import Frozen

Reach = Annotated[float, Field(ge=0.0005, le=1, allow_inf_nan=False)]
Component = Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)]


class BakeSettings(Frozen):
    """Settings of a bake. Distances are shares of the model's diagonal.

    front, back : how far outside and inside the model the high mesh is searched for
    match_parts : measure each part only against the high part of its name; ignore_back : high faces seen from behind do not count
    rays : rays a texel for occlusion, bent normal and thickness; antialias : texels are measured on a grid of this many places a side
    occlusion_reach : what lies further off does not shade, 1 for no limit; curvature_radius : size of the forms that curvature tells
    thickness_reach : thickness that is white; facing : the direction that is white; id_by : what gets a colour of its own
    """

    front: Reach = 0.02
    back: Reach = 0.02
    match_parts: bool = True
    ignore_back: bool = True
    rays: Annotated[int, Field(ge=1, le=4096)] = 64
    antialias: Literal[1, 2, 4] = 1
    occlusion_reach: Reach = 0.4
    curvature_radius: Annotated[float, Field(ge=0.0005, le=0.25, allow_inf_nan=False)] = 0.01
    thickness_reach: Reach = 0.1
    facing: tuple[Component, Component, Component] = (0.0, 1.0, 0.0)
    id_by: Literal["part", "material", "group", "colour", "island"] = "part"
    seed: Annotated[int, Field(ge=0, le=2**31 - 1)] = 0

    @model_validator(mode="after")
    def _usable(self) -> BakeSettings:
        if sum(c * c for c in self.facing) < 1e-6:
            raise ValueError("the facing direction needs a length; choose an axis")
        return self
