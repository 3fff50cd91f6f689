"""Channels: what a surface sample holds (N3.4), their start values, and how a value becomes 16-bit codes."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np
from pydantic import BaseModel, ConfigDict, Field

#: The 16-bit code of flat height: code = 32768 + 32767 · h with h in −1 … 1.
HEIGHT_MID = 32768
#: Channels of one project, and how an id of one looks.
MOST_CHANNELS = 32
CHANNEL_ID = r"^[a-z][a-z0-9_]{0,39}$"

Value = tuple[Annotated[float, Field(ge=-1, le=1, allow_inf_nan=False)], ...]


class Channel(BaseModel):
    """One channel of the project. `start` is its value where no layer says anything.

    kind "colour": RGB, sRGB-encoded 0–1 (colour-managed). "data": one value 0–1, never colour-managed. "height": one value −1 … 1, 0 flat.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")
    id: str = Field(pattern=CHANNEL_ID)
    name: str = Field(min_length=1, max_length=60)
    kind: Literal["colour", "data", "height"]
    start: Annotated[Value, Field(min_length=1, max_length=3)]

    @property
    def components(self) -> int:
        """Values without alpha: 3 or 1."""
        return 3 if self.kind == "colour" else 1


STANDARD_CHANNELS: tuple[Channel, ...] = (
    Channel(id="base_color", name="Base colour", kind="colour", start=(0.5, 0.5, 0.5)),
    Channel(id="roughness", name="Roughness", kind="data", start=(0.5,)),
    Channel(id="metallic", name="Metallic", kind="data", start=(0.0,)),
    Channel(id="height", name="Height", kind="height", start=(0.0,)),
    Channel(id="emission", name="Emission", kind="colour", start=(0.0, 0.0, 0.0)),
    Channel(id="opacity", name="Opacity", kind="data", start=(1.0,)),
    Channel(id="occlusion", name="Occlusion", kind="data", start=(1.0,)),
)


def encode(channel: Channel, value: Value | np.ndarray) -> np.ndarray:
    """(components,) uint16 codes of a value given in the channel's own range; of an array, as many as it has."""
    v = np.asarray(value, np.float64)
    if channel.kind == "height":
        return (HEIGHT_MID + np.rint(np.clip(v, -1, 1) * 32767)).astype(np.uint16)
    return np.rint(np.clip(v, 0, 1) * 65535).astype(np.uint16)


def decode(channel: Channel, values_u16: np.ndarray) -> np.ndarray:
    """The inverse of `encode`, float64, any shape."""
    c = np.asarray(values_u16, np.float64)
    return (c - HEIGHT_MID) / 32767 if channel.kind == "height" else c / 65535
