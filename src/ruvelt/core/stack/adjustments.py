"""What adjustment layers may hold."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import BeforeValidator, Field, ValidationInfo

from ruvelt.core.stack.kinds.adjustment import Adjust, UnknownAdjust
from ruvelt.core.stack.kinds.found import kept_unknown, kinds_in

ADJUSTMENTS = kinds_in("adjustments", Adjust)
_BY_KIND = {k.kind_id(): k for k in ADJUSTMENTS}


def _read(value: Any, info: ValidationInfo) -> Any:
    return kept_unknown(value, info, _BY_KIND)


if TYPE_CHECKING:
    Adjustment = Adjust
else:
    Adjustment = Annotated[
        Annotated[Union[(*ADJUSTMENTS, UnknownAdjust)], Field(discriminator="kind")],
        BeforeValidator(_read),
    ]
