"""Mesh maps as evaluation sees them: a baked plane with its touch-up above, read like a channel of its own.

A mesh map is addressed as the channel "map:ID" of a sheet; it takes no part in the sheet's layers.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from ruvelt.core.errors import NotFound
from ruvelt.core.stack._blend_kernels import CONST
from ruvelt.core.stack.channels import Channel
from ruvelt.core.stack.document import Sheet
from ruvelt.core.stack.program import Op, Program, map_steps

PREFIX = "map:"


@dataclass(frozen=True)
class MapShape:
    """Name, components and start value (0–1, where nothing is baked) of one mesh map."""

    name: str
    components: int
    start: float


SHAPES: dict[str, MapShape] = {
    "normal": MapShape("Normal (tangent)", 3, 0.5),
    "occlusion": MapShape("Occlusion", 1, 1.0),
    "curvature": MapShape("Curvature", 1, 0.5),
    "thickness": MapShape("Thickness", 1, 1.0),
    "position": MapShape("Position", 3, 0.5),
    "facing": MapShape("Facing", 1, 0.5),
    "height": MapShape("Height", 1, 0.5),
    "id": MapShape("Id colour", 3, 0.0),
    "object_normal": MapShape("Normal (object)", 3, 0.5),
    "bent_normal": MapShape("Bent normal", 3, 0.5),
    "suspects": MapShape("Suspects", 1, 0.0),
    "straight": MapShape("Straight rays", 1, 0.0),
}
#: Maps that a bake makes or reads for itself: no export and no mask has use for them.
OWN_USE = ("suspects", "straight")


def map_channel(channel_id: str) -> Channel | None:
    """The channel that "map:ID" stands for: data, never colour-managed; None for other ids."""
    shape = SHAPES.get(channel_id.removeprefix(PREFIX)) if channel_id.startswith(PREFIX) else None
    if shape is None:
        return None
    start = (shape.start, shape.start, 1.0) if channel_id == "map:normal" else (shape.start,) * shape.components
    # Three components make it a colour to the kernels; its values are numbers all the same.
    kind: Literal["colour", "data"] = "colour" if shape.components == 3 else "data"
    return Channel.model_construct(id=channel_id, name=shape.name, kind=kind, start=start)


def compile_mesh_map(sheet: Sheet, map_id: str) -> Program:
    """The steps of a mesh map: what was baked, then the touch-up unless it is switched off."""
    channel = map_channel(PREFIX + map_id)
    if channel is None:
        raise NotFound(f"There is no mesh map '{map_id}' here. Reload the project.")
    ops = (Op(CONST, "", value=channel.start), *map_steps(sheet, map_id))
    return Program(channel, ops, 1, False)
