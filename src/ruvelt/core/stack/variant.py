"""What a variant says otherwise than the document it belongs to."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, field_validator

from ruvelt.core.stack.basics import Colour, Frozen, Id, Name

#: Fields of layers that a variant may say otherwise; a part in a channel goes by this and the channel's id.
FIELDS = ("visible", "strength", "blend", "mask", "adjust", "components", "ranges", "rest")
CHANNEL = "channels."
MOST_VARIANTS = 64


class Override(Frozen):
    """Values of one layer, as JSON, by field."""

    sheet: Id
    layer: Id
    values: Annotated[dict[str, Any], Field(max_length=60)]

    @field_validator("values")
    @classmethod
    def _known(cls, values: dict[str, Any]) -> dict[str, Any]:
        wrong = [k for k in values if k not in FIELDS and not k.startswith(CHANNEL)]
        if wrong:
            raise ValueError(f"a variant cannot change a layer's {wrong[0][:40]}")
        return values


class Variant(Frozen):
    """roles : colours of swatch roles, by their ids"""

    id: Id
    name: Name
    overrides: Annotated[tuple[Override, ...], Field(max_length=5000)] = ()
    roles: Annotated[dict[Id, Colour], Field(max_length=100)] = {}
