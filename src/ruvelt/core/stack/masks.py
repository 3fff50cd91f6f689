"""Masks: a stack of sources, each laid on what is under it, with shapers that reshape what is under them. Bottom first."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Self, Union

from pydantic import BeforeValidator, Field, ValidationInfo, model_validator

from ruvelt.core.stack.basics import Frozen
from ruvelt.core.stack.kinds.found import kept_unknown, kinds_in
from ruvelt.core.stack.kinds.step import Shaper, Source, Step, UnknownStep

MAX_STEPS = 32
SOURCES = kinds_in("sources", Source)
SHAPERS = kinds_in("shapers", Shaper)
_BY_KIND = {k.kind_id(): k for k in (*SOURCES, *SHAPERS)}


def _read(value: Any, info: ValidationInfo) -> Any:
    return kept_unknown(value, info, _BY_KIND)


if TYPE_CHECKING:
    MaskStep = Step
else:
    MaskStep = Annotated[
        Annotated[Union[(*SOURCES, *SHAPERS, UnknownStep)], Field(discriminator="kind")],
        BeforeValidator(_read),
    ]


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
