"""A check of models."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan


class BelowGround(Check):
    """Faces that lie below the ground, where no moss grows."""

    id: ClassVar[str] = "below-ground"
    label: ClassVar[str] = "Below ground"
    needs_uvs: ClassVar[bool] = False

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        highest = np.maximum.reduceat(model.positions[model.corner_vertex, 1], model.face_starts[:-1])
        faces = np.flatnonzero(highest < 0).astype(np.int32)
        if not len(faces):
            return None
        return self.found(f"{len(faces)} faces below ground", "Move the model up until it stands on the ground.", faces)
