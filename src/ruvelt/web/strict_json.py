"""JSON as the standard has it (RFC 8259): no NaN, no Infinity, nothing that becomes infinite, nothing nested without end."""

from __future__ import annotations

import json
from typing import Any

from flask.json.provider import DefaultJSONProvider


def _no_constant(name: str) -> float:
    raise ValueError(f"{name} is no JSON number")


def _finite(text: str) -> float:
    value = float(text)
    if value in (float("inf"), float("-inf")):
        raise ValueError("a number is too large")
    return value


class StrictJSON(DefaultJSONProvider):
    """What the application reads and writes JSON with. Text that is no JSON raises ValueError, however it fails."""

    def loads(self, s: str | bytes, **more: Any) -> Any:
        try:
            return json.loads(s, parse_constant=_no_constant, parse_float=_finite, **more)
        except RecursionError:
            raise ValueError("it is nested too deep") from None
