"""Where a bake may have missed, and why."""

from __future__ import annotations

from typing import ClassVar

from ruvelt.core.stack.mesh_map import MeshMapKind


class Suspects(MeshMapKind):
    """Where a bake may have missed, and why."""

    id: ClassVar[str] = "suspects"
    label: ClassVar[str] = "Suspects"
    hint: ClassVar[str] = "Where a bake may have missed, and why."
    rank: ClassVar[int] = 10
    start: ClassVar[tuple[float, ...]] = (0.0,)
    own_use: ClassVar[bool] = True
