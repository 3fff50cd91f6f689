"""Vertices that belong to no face."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan


class LooseVertices(Check):
    """Vertices that belong to no face."""

    id: ClassVar[str] = "loose-vertices"
    label: ClassVar[str] = "Loose vertices"
    rank: ClassVar[int] = 1
    needs_uvs: ClassVar[bool] = False

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        used = np.zeros(model.vertex_count, bool)
        used[model.corner_vertex] = True
        loose = int((~used).sum())
        if not loose:
            return None
        return self.found(f"{loose} loose vertices", "They belong to no face and are kept as they are.", np.zeros(0, np.int32))
