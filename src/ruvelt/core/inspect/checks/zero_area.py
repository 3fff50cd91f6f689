"""Faces without area take no paint."""

from __future__ import annotations

from typing import ClassVar

import numpy as np

from ruvelt.core.inspect.check import Check, Finding
from ruvelt.core.inspect.uv_facts import triangle_areas
from ruvelt.core.mesh.model import Model
from ruvelt.core.mesh.sheets import SheetPlan
from ruvelt.core.tolerances import ZERO_AREA_SHARE


class ZeroArea(Check):
    """Faces without area take no paint."""

    id: ClassVar[str] = "zero-area"
    label: ClassVar[str] = "Faces without area"
    rank: ClassVar[int] = 0
    needs_uvs: ClassVar[bool] = False

    def find(self, model: Model, sheets: list[SheetPlan]) -> Finding | None:
        total = np.zeros(model.face_count)
        np.add.at(total, model.triangle_face, triangle_areas(model))
        faces = np.flatnonzero(total < ZERO_AREA_SHARE * model.diagonal**2).astype(np.int32)
        if not len(faces):
            return None
        title = f"{len(faces)} faces without area"
        return self.found(title, "They take no paint. Merge doubled vertices in your modelling program.", faces)
