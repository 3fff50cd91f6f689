"""Where it is white, rays leave straight along the face. Painted, not baked."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.stack.mesh_map import MeshMapKind


class Straight(MeshMapKind):
    """Where it is white, rays leave straight along the face. Painted, not baked."""

    id: ClassVar[str] = "straight"
    label: ClassVar[str] = "Straight rays"
    hint: ClassVar[str] = "Where it is white, rays leave straight along the face. Painted, not baked."
    rank: ClassVar[int] = 11
    start: ClassVar[tuple[float, ...]] = (0.0,)
    own_use: ClassVar[bool] = True
    by_hand: ClassVar[bool] = True
