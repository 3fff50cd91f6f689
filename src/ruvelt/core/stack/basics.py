"""The fields that documents, masks, fills and brushes are made of."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

#: Names go into file names and plane ids: no separators, no control characters.
Id = Annotated[str, Field(pattern=r"^[a-z0-9][a-z0-9_-]{0,39}$")]
Name = Annotated[str, Field(min_length=1, max_length=80)]
Share = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
#: A length as a share of the model's diagonal.
Length = Annotated[float, Field(ge=0, le=1, allow_inf_nan=False)]
Number = Annotated[float, Field(ge=-1e6, le=1e6, allow_inf_nan=False)]
#: A place or direction, object space.
Vector = tuple[Number, Number, Number]
#: sRGB-encoded 0–1.
Colour = tuple[Share, Share, Share]


class Frozen(BaseModel):
    model_config = ConfigDict(frozen=True, extra="forbid")


class FacePick(Frozen):
    """Some faces, told by what they belong to. `index` counts parts, materials, face groups, islands, pieces or faces of the model."""

    by: Literal["part", "material", "group", "island", "piece", "face"]
    index: Annotated[int, Field(ge=0, le=100_000_000)]
