"""What fills may lay down."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated, Any, Union

from pydantic import BeforeValidator, Field, ValidationInfo

from ruvelt.core.stack.kinds.controls import Kind
from ruvelt.core.stack.kinds.fill_content import FillContent, UnknownContent
from ruvelt.core.stack.kinds.found import kept_unknown, kinds_in

CONTENTS = kinds_in("contents", FillContent)
#: A fill without content lays one value.
VALUE = Kind(id="value", name="Value", hint="One value all over", group="content")
_BY_KIND = {k.kind_id(): k for k in CONTENTS}


def _read(value: Any, info: ValidationInfo) -> Any:
    return kept_unknown(value, info, _BY_KIND)


if TYPE_CHECKING:
    Content = FillContent
else:
    Content = Annotated[
        Annotated[Union[(*CONTENTS, UnknownContent)], Field(discriminator="kind")],
        BeforeValidator(_read),
    ]
